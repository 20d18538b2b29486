"""The one command. It runs with nothing but the standard library, and sets up the rest."""
