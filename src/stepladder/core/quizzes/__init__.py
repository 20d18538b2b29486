"""Quizzes: their plan, what is drawn for an attempt, its time and score, what the answers of many tell. Rule: 7."""

from __future__ import annotations

from stepladder.core.quizzes.agreement import kappa
from stepladder.core.quizzes.drawing import Drawn, Shortage, draw, shortages
from stepladder.core.quizzes.items import LEAST_ATTEMPTS, Item, Verdict, alpha, analyse, verdict
from stepladder.core.quizzes.plan import (
    BadPlan,
    Conditions,
    Counts,
    Pick,
    Plan,
    PlanSection,
    Shows,
    When,
    kept,
    read_conditions,
    read_plan,
)
from stepladder.core.quizzes.scoring import Earned, counting, has_passed, score_of
from stepladder.core.quizzes.timing import GRACE, Allowance, Next, ends_at, is_over, next_attempt

__all__ = [
    "GRACE",
    "LEAST_ATTEMPTS",
    "Allowance",
    "BadPlan",
    "Conditions",
    "Counts",
    "Drawn",
    "Earned",
    "Item",
    "Next",
    "Pick",
    "Plan",
    "PlanSection",
    "Shortage",
    "Shows",
    "Verdict",
    "When",
    "alpha",
    "analyse",
    "counting",
    "draw",
    "ends_at",
    "has_passed",
    "is_over",
    "kappa",
    "kept",
    "next_attempt",
    "read_conditions",
    "read_plan",
    "score_of",
    "shortages",
    "verdict",
]
