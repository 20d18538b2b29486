"""The pages of People."""
