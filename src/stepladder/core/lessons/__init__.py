"""Lessons: the tree that one is written as, how long it takes to read, when it is done, what is wrong with it. Rule: 17."""

from __future__ import annotations

from stepladder.core.lessons.attributes import BadTree
from stepladder.core.lessons.findings import Finding, Media, find_trouble
from stepladder.core.lessons.options import Options, read_options
from stepladder.core.lessons.outline import checks_in, key_terms, links_in, media_in, minutes_to_read, text_of, words_in
from stepladder.core.lessons.progress import Part, done_parts, open_parts, share_done
from stepladder.core.lessons.tree import MARKS, NODES, check_tree, empty_tree

__all__ = [
    "MARKS",
    "NODES",
    "BadTree",
    "Finding",
    "Media",
    "Options",
    "Part",
    "check_tree",
    "checks_in",
    "done_parts",
    "empty_tree",
    "find_trouble",
    "key_terms",
    "links_in",
    "media_in",
    "minutes_to_read",
    "open_parts",
    "read_options",
    "share_done",
    "text_of",
    "words_in",
]
