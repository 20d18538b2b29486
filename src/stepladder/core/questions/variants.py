"""Questions with numbers that are drawn anew for each attempt: "{load}" in a text, a formula as the right number. Rule: 7.

Everything is reckoned exactly. What could be drawn is tried out before anybody is asked it: a formula that divides by nothing for
one of the numbers is a fault of the question, not of whoever happens to draw it.
"""

from __future__ import annotations

import ast
import itertools
import re
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction
from random import Random
from typing import Any

from stepladder.core.numbers import exact_number

__all__ = [
    "BadFormula",
    "Range",
    "draw_values",
    "fill",
    "formulas_in",
    "problems_of_variants",
    "read_range",
    "reckon",
    "written",
]

LONGEST_FORMULA = 200
MOST_RANGES, MOST_STEPS = 8, 10_000
# So many combinations are all tried; of more, the ends of every range and as many drawn ones.
MOST_TRIED = 2_000
# What a recurring number is rounded to where it stands in a text.
PLACES = 4
_NAME = re.compile(r"[a-z][a-z0-9_]{0,19}")
_FORMULA_IN_TEXT = re.compile(r"\{([^{}]{1,200})\}")
# The texts of a question in which formulas stand.
_TEXTS = ("text", "hint", "when_right", "when_wrong", "model_answer", "rubric")
_HIGHEST = Fraction(10**12)


class BadFormula(ValueError):
    """What was written is no formula, or cannot be reckoned; the message says why, as the end of a sentence."""


@dataclass(frozen=True)
class Range:
    """Numbers to draw from: *low*, then step by step, up to *high* at most."""

    name: str
    low: Fraction
    high: Fraction
    step: Fraction

    @property
    def count(self) -> int:
        return int((self.high - self.low) / self.step) + 1

    def at(self, index: int) -> Fraction:
        return self.low + index * self.step


def read_range(name: str, low: object, high: object, step: object) -> Range:
    """A range in words. Raises BadFormula."""
    if not _NAME.fullmatch(name):
        raise BadFormula(f"“{name[:20]}” is no name for a number: small letters and digits, a letter first")
    ends = [exact_number(str(one).replace(",", ".").replace("−", "-")) for one in (low, high, step)]
    if any(one is None for one in ends):
        raise BadFormula(f"the range of “{name}” has a lowest number, a highest one and a step, such as 10, 50 and 5")
    least, most, by = (Fraction(one) for one in ends if one is not None)
    if by <= 0 or most < least:
        raise BadFormula(f"the range of “{name}” goes up, by a step above 0")
    found = Range(name, least, most, by)
    if found.count > MOST_STEPS:
        raise BadFormula(f"the range of “{name}” has more than {MOST_STEPS} numbers: take a larger step")
    return found


def reckon(formula: str, values: Mapping[str, Fraction]) -> Fraction:
    """What a formula of + − × ÷, brackets, numbers and names comes to. Raises BadFormula."""
    said = formula.strip().replace("−", "-").replace("×", "*").replace("÷", "/").replace("·", "*")
    if not said or len(said) > LONGEST_FORMULA:
        raise BadFormula(f"a formula has between 1 and {LONGEST_FORMULA} signs")
    try:
        tree = ast.parse(said, mode="eval").body
    except (SyntaxError, ValueError, MemoryError, RecursionError):
        raise BadFormula(f"“{formula[:60]}” is no formula: use + - * / ( ), numbers and the names of numbers") from None
    return _reckoned(tree, values, said)


_OPERATIONS: dict[type[ast.operator], Callable[[Fraction, Fraction], Fraction]] = {
    ast.Add: lambda a, b: a + b,
    ast.Sub: lambda a, b: a - b,
    ast.Mult: lambda a, b: a * b,
    ast.Div: lambda a, b: a / b,
}


def _reckoned(node: ast.expr, values: Mapping[str, Fraction], formula: str) -> Fraction:
    if isinstance(node, ast.Constant) and isinstance(node.value, int | float) and not isinstance(node.value, bool):
        # As it is written: 0.1 is a tenth.
        number = exact_number(ast.get_source_segment(formula, node) or repr(node.value))
        if number is None:
            raise BadFormula(f"“{formula[:60]}” has a number with too many digits")
        return number
    if isinstance(node, ast.Name):
        if node.id not in values:
            raise BadFormula(f"“{node.id[:20]}” is no number of this question")
        return values[node.id]
    if isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.USub | ast.UAdd):
        inner = _reckoned(node.operand, values, formula)
        return -inner if isinstance(node.op, ast.USub) else inner
    if isinstance(node, ast.BinOp) and type(node.op) in _OPERATIONS:
        left, right = (_reckoned(side, values, formula) for side in (node.left, node.right))
        if isinstance(node.op, ast.Div) and right == 0:
            raise BadFormula(f"“{formula[:60]}” divides by nothing{_when(values)}")
        found = _OPERATIONS[type(node.op)](left, right)
        if abs(found) > _HIGHEST:
            raise BadFormula(f"“{formula[:60]}” comes to more than {_HIGHEST}{_when(values)}")
        return found
    raise BadFormula(f"“{formula[:60]}” is no formula: use + - * / ( ), numbers and the names of numbers")


def _when(values: Mapping[str, Fraction]) -> str:
    return f" when {', '.join(f'{name} is {written(value)}' for name, value in values.items())}" if values else ""


def written(number: Fraction) -> str:
    """A number as it stands in a text: as a decimal where it ends within four places, rounded to them otherwise."""
    scaled = abs(number) * 10**PLACES
    whole, rest = divmod(int(scaled + Fraction(1, 2)), 10**PLACES)
    digits = f"{rest:0{PLACES}d}".rstrip("0")
    sign = "−" if number < 0 and (whole or rest) else ""
    return f"{sign}{whole}{'.' + digits if digits else ''}"


def formulas_in(raw: Mapping[str, Any]) -> list[str]:
    """Every formula in a question, in its JSON form: those in braces, and that of the right number."""
    found = [match for text in _texts(raw) for match in _FORMULA_IN_TEXT.findall(text)]
    return [*found, *([raw["formula"]] if raw.get("formula") else [])]


def _texts(raw: Mapping[str, Any]) -> Iterator[str]:
    yield from (raw.get(name, "") for name in _TEXTS)
    for choice in raw.get("choices", ()):
        yield from (choice.get("text", ""), choice.get("feedback", ""))
    for pair in raw.get("pairs", ()):
        yield from (pair.get("left", ""), pair.get("right", ""))


def problems_of_variants(ranges: Sequence[Range], raw: Mapping[str, Any]) -> list[str]:
    """What is wrong with the numbers and formulas of a question, each as a sentence without its end; none twice."""
    names = [one.name for one in ranges]
    if len(set(names)) < len(names):
        return ["two of its numbers have the same name"]
    formulas = list(dict.fromkeys(formulas_in(raw)))
    if not ranges and not formulas:
        return []
    found: dict[str, None] = {}
    for values in _combinations(ranges):
        for formula in formulas:
            try:
                reckon(formula, values)
            except BadFormula as refusal:
                found.setdefault(str(refusal))
        if found:
            break
    return list(found)


def _combinations(ranges: Sequence[Range]) -> Iterator[dict[str, Fraction]]:
    count = 1
    for one in ranges:
        count *= one.count
    if count <= MOST_TRIED:
        tried: Iterator[Sequence[int]] = itertools.product(*(range(one.count) for one in ranges))
    else:
        ends = itertools.product(*({0, one.count - 1} for one in ranges))
        # Always the same ones: what was no fault at one time is none at another.
        drawing = Random(0)  # noqa: S311 - nothing is secret about it
        drawn = ([drawing.randrange(one.count) for one in ranges] for _ in range(MOST_TRIED))
        tried = itertools.chain(ends, _around_nothing(ranges), drawn)
    for indexes in tried:
        yield {one.name: one.at(index) for one, index in zip(ranges, indexes, strict=True)}


def _around_nothing(ranges: Sequence[Range]) -> Iterator[Sequence[int]]:
    """Each number as 0 where it can be: what a formula most often divides by."""
    for place, one in enumerate(ranges):
        index = -one.low / one.step
        if index.denominator == 1 and 0 <= index < one.count:
            yield [int(index) if at == place else 0 for at in range(len(ranges))]


def draw_values(ranges: Sequence[Range], raw: Mapping[str, Any], drawing: Random) -> dict[str, str]:
    """A number of each range for which every formula can be reckoned, as exact text ("7/2"). Raises BadFormula where none is found."""
    formulas = formulas_in(raw)
    refusal = BadFormula("nothing can be drawn")
    for _ in range(200):
        values = {one.name: one.at(drawing.randrange(one.count)) for one in ranges}
        try:
            for formula in formulas:
                reckon(formula, values)
        except BadFormula as found:
            refusal = found
        else:
            return {name: str(value) for name, value in values.items()}
    raise refusal


def fill(raw: Mapping[str, Any], values: Mapping[str, str]) -> dict[str, Any]:
    """The question with its numbers in place, in its JSON form: what somebody is asked. Raises BadFormula."""
    numbers = {name: Fraction(value) for name, value in values.items()}

    def put(text: str) -> str:
        return _FORMULA_IN_TEXT.sub(lambda found: written(reckon(found[1], numbers)), text)

    filled: dict[str, Any] = {key: value for key, value in raw.items() if key not in ("drawn", "formula")}
    if not raw.get("drawn"):
        # Braces in a question without numbers to draw are braces.
        return filled
    for name in _TEXTS:
        if name in filled:
            filled[name] = put(filled[name])
    filled["choices"] = [
        {**one, **{name: put(one[name]) for name in ("text", "feedback") if name in one}}
        for one in raw.get("choices", ())
    ]
    filled["pairs"] = [{side: put(text) for side, text in pair.items()} for pair in raw.get("pairs", ())]
    if raw.get("formula"):
        filled["number"] = _as_decimal(reckon(raw["formula"], numbers))
    return filled


def _as_decimal(number: Fraction) -> str:
    """What a formula comes to as the right number: exactly where it is a decimal, else to twelve places, far below any tolerance."""
    scaled = round(number * 10**12)
    whole, rest = divmod(abs(scaled), 10**12)
    digits = f"{rest:012d}".rstrip("0")
    return f"{'-' if scaled < 0 else ''}{whole}{'.' + digits if digits else ''}"
