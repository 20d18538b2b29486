"""Lessons that are taken elsewhere: as packages, as pages that stand alone, as paper."""
