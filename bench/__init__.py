"""Benchmarks: ratios on one machine, with a generator for any number of people. Run by `./ladder bench`."""

from __future__ import annotations


def check(holds: bool, says: str) -> None:
    """A figure of something that did not happen is none."""
    if not holds:
        raise SystemExit(f"Not measured: {says}.")
