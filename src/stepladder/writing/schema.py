"""The table of a lesson's blocks as the editor reads it: its rules are made of the very table that the server checks against."""

from __future__ import annotations

from functools import cache
from typing import Any

from stepladder.core.lessons import MARKS, NODES

__all__ = ["editor_schema"]


@cache
def editor_schema() -> dict[str, Any]:
    """{"nodes": [[name, rules]], "marks": [[name, rules]], "words": {name: word}}"""
    nodes = []
    for name, node in NODES.items():
        rules: dict[str, Any] = dict(node.editing)
        if node.content:
            rules |= {"content": node.content, "marks": node.marks}
        if node.group:
            rules["group"] = node.group
        if node.attrs:
            rules["attrs"] = {attr: {"default": said.default} for attr, said in node.attrs.items()}
        nodes.append([name, rules])
    marks = [
        [
            name,
            {
                "inclusive": mark.goes_on,
                **({"attrs": {a: {"default": s.default} for a, s in mark.attrs.items()}} if mark.attrs else {}),
            },
        ]
        for name, mark in MARKS.items()
    ]
    return {"nodes": nodes, "marks": marks, "words": {name: node.word for name, node in NODES.items()}}
