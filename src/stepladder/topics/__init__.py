"""The organisation’s list of topics, of two levels, and what carries them."""
