"""A picture drawn from a title: what a thing is recognised by until it has one of its own. The same title gives the same picture."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from hashlib import blake2b
from math import pi, sin

from django.utils.safestring import SafeString, mark_safe

__all__ = ["drawn_from"]

WIDTH, HEIGHT = 150, 96


def drawn_from(title: str) -> SafeString:
    """The picture as an SVG element, in the house's colours. It says nothing that the title beside it does not: it is not read out."""
    seed = _numbers(title)
    horizon = 44 + next(seed) % 22
    ground = (_waves, _furrows, _planks)[next(seed) % 3](horizon, seed)
    figure = (_ladder, _stairs, _disc, _tower, _bridge, _stack)[next(seed) % 6](horizon, seed)
    # Only numbers went into it.
    return mark_safe(
        f'<svg class="picture" viewBox="0 0 {WIDTH} {HEIGHT}" preserveAspectRatio="xMidYMid slice" aria-hidden="true">'
        f'<rect width="{WIDTH}" height="{HEIGHT}" fill="var(--accent-wash)"/>{figure}{ground}</svg>'
    )


def _numbers(title: str) -> Iterator[int]:
    """Numbers from 0 to 255 without end, made of the title alone."""
    seed = " ".join(title.casefold().split()).encode()
    block = 0
    while True:
        yield from blake2b(seed + block.to_bytes(4, "big"), digest_size=32).digest()
        block += 1


Draw = Callable[[int, Iterator[int]], str]


def _line(points: str, width: float, opacity: float) -> str:
    return f'<path d="{points}" fill="none" stroke="var(--accent)" stroke-width="{width:.1f}" stroke-opacity="{opacity:.2f}"/>'


def _waves(horizon: int, seed: Iterator[int]) -> str:
    """Water: lines that swell towards the foot."""
    lines = []
    for n in range(5):
        y, swell, length, phase = horizon + n * 9, 1.5 + n * 0.8, 50 + next(seed) % 40, next(seed)
        points = " L".join(f"{x} {y + swell * sin(2 * pi * (x + phase) / length):.1f}" for x in range(0, WIDTH + 6, 6))
        lines.append(_line(f"M{points}", 1 + n * 0.5, 0.3 + n * 0.12))
    return "".join(lines)


def _furrows(horizon: int, seed: Iterator[int]) -> str:
    """A field: lines that run to one point."""
    at, step = 30 + next(seed) % 90, 22 + next(seed) % 12
    rays = "".join(
        _line(f"M{at} {horizon} L{at + n * step} {HEIGHT}", 1 + abs(n) % 2 * 0.8, 0.45) for n in range(-7, 8)
    )
    return _line(f"M0 {horizon} H{WIDTH}", 2, 0.7) + rays


def _planks(horizon: int, seed: Iterator[int]) -> str:
    """A floor: boards with their joints."""
    boards = []
    for n, y in enumerate(range(horizon, HEIGHT + 10, 9 + next(seed) % 4)):
        joint = (next(seed) * 3) % WIDTH
        boards.append(_line(f"M0 {y} H{WIDTH}", 1 + n * 0.4, 0.35 + n * 0.08) + _line(f"M{joint} {y} v9", 1, 0.4))
    return "".join(boards)


def _ink(shape: str, opacity: float = 1) -> str:
    return f'<path d="{shape}" fill="none" stroke="var(--ink)" stroke-width="2.4" stroke-opacity="{opacity}"/>'


def _ladder(horizon: int, seed: Iterator[int]) -> str:
    x, wide, tall = 24 + next(seed) % 80, 14 + next(seed) % 8, horizon - 8 - next(seed) % 8
    rungs = "".join(f"M{x} {horizon - y}h{wide}" for y in range(6, tall - 2, 7))
    return _ink(f"M{x} {horizon}v-{tall}M{x + wide} {horizon}v-{tall}") + _ink(rungs, 0.75)


def _stairs(horizon: int, seed: Iterator[int]) -> str:
    steps, wide, x = 4 + next(seed) % 3, 9 + next(seed) % 5, 20 + next(seed) % 50
    rise = (horizon - 14) // steps
    return _ink(f"M{x} {horizon}" + f"v-{rise}h{wide}" * steps + f"V{horizon}")


def _disc(horizon: int, seed: Iterator[int]) -> str:
    x, radius = 34 + next(seed) % 82, 12 + next(seed) % 10
    y = horizon - radius // 2 - next(seed) % 14
    return f'<circle cx="{x}" cy="{y}" r="{radius}" fill="var(--ink)" fill-opacity="0.82"/>'


def _tower(horizon: int, seed: Iterator[int]) -> str:
    x, wide, tall = 26 + next(seed) % 90, 12 + next(seed) % 8, horizon - 10
    body = f"M{x} {horizon}l3 -{tall}h{wide - 6}l3 {tall}z"
    bands = "".join(f"M{x + 2} {horizon - y}h{wide - 4}" for y in range(9, tall - 4, 12))
    return f'<path d="{body}" fill="var(--ink)" fill-opacity="0.85"/>' + (
        f'<path d="{bands}" stroke="var(--accent-wash)" stroke-width="3"/>'
    )


def _bridge(horizon: int, seed: Iterator[int]) -> str:
    left, span = 12 + next(seed) % 20, 80 + next(seed) % 30
    rise = 18 + next(seed) % 12
    posts = "".join(f"M{left + span * n // 5} {horizon}v-{4 + rise * n * (5 - n) // 8}" for n in range(1, 5))
    return _ink(f"M{left} {horizon}q{span // 2} -{2 * rise} {span} 0") + _ink(posts, 0.7)


def _stack(horizon: int, seed: Iterator[int]) -> str:
    x, y, boxes = 30 + next(seed) % 60, horizon, []
    for n in range(3 + next(seed) % 2):
        wide, tall, shift = 34 - n * 6, 10 + next(seed) % 4, next(seed) % 7
        y -= tall
        opacity = 0.9 - n * 0.18
        boxes.append(
            f'<rect x="{x + shift}" y="{y}" width="{wide}" height="{tall - 1}" fill="var(--ink)" fill-opacity="{opacity:.2f}"/>'
        )
    return "".join(boxes)
