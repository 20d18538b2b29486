"""Everything that writes in the catalogue."""
