"""Finding the best plan within a time: first the fewest late, then the fewest days they wait, then the fewest sessions, then the
earliest days. Rule: 19. The solver is HiGHS (MIT).

Parts of people and sessions are let first, which is quick, and says what no plan can do better. From there sessions are made whole a few at
a time; what time is left goes into looking for better plans in whole numbers, until none can be or the time is over.
"""

from __future__ import annotations

import math
import time
from collections.abc import Callable
from typing import Any

import highspy
import numpy as np
from numpy.typing import NDArray

from stepladder.core.planning.model import Model, build
from stepladder.core.planning.placing import place
from stepladder.core.planning.problem import Problem
from stepladder.core.planning.result import PlanResult

__all__ = ["STAGES", "solve"]

LATE, WAIT, SESSIONS, DAYS = range(4)
STAGES = ("what no plan can do better", "a first plan", "fewer late", "shorter waits", "fewer sessions", "earlier days")
# While sessions are made whole, one late counts as so many days of waiting, and a day as so many sessions.
WEIGHTS = np.array([60_000.0, 300.0, 1.0, 0.0])
# What share of the parted sessions is made whole at a time: the smaller, the better, and the longer it takes.
AT_ONCE = (0.2, 0.05, 0.0)
DEEPER = 0.4
# What share of the time that is left the search for better plans may take, sum by sum.
SHARES = (0.3, 0.3, 0.7, 0.9)
# In larger models a search in whole numbers does not come far in a minute.
LARGE = 60_000
NEAR = 1e-6
NO_BOUND = 2**31
Values = NDArray[np.float64]
Beat = Callable[[int], None]


def solve(problem: Problem, *, seconds: float = 50.0, beat: Beat | None = None) -> PlanResult:
    """The best plan that is found in about so many seconds, with how much better another one could be at most.

    *beat* is told the number of each of the STAGES as it begins.
    """
    begun = time.monotonic()
    model = build(problem)
    search = _Search(model, begun + seconds, beat or (lambda _: None))
    search.run()
    return place(
        problem,
        model,
        search.best,
        least_late=search.least[LATE] + model.late,
        least_sessions=search.least[SESSIONS],
        is_best=search.sums()[:3] == search.least[:3],
        seconds=time.monotonic() - begun,
    )


class _Search:
    """The best values of the model's columns so far, and how small each sum can be with those before it as they are."""

    def __init__(self, model: Model, until: float, beat: Beat) -> None:
        self.costs = model.costs()
        self.best: Values = np.zeros(len(model.most))
        self.least = [0, 0, 0, 0]
        self._model, self._until, self._beat = model, until, beat
        self._most = np.array(model.most, dtype=np.float64)
        self._every = np.arange(len(model.most), dtype=np.int32)
        # Columns of sessions, and of who teaches when: once these are whole, people nearly are by themselves.
        self._sessions = np.flatnonzero(self.costs[SESSIONS]).astype(np.int32)
        people = (self.costs[LATE] < 0) | (self.costs[WAIT] < 0)
        self._whole = np.flatnonzero(~people).astype(np.int32)

    def sums(self) -> list[int]:
        return self._sums_of(self.best)

    def _sums_of(self, values: Values) -> list[int]:
        return [round(float(cost @ values)) for cost in self.costs]

    def run(self) -> None:
        if not len(self._every):
            return
        # One solver for parts and one for whole numbers: each goes on from what it did last.
        parted = _Solver(self._model, self.costs)
        self._beat(0)
        for which in (LATE, WAIT):
            self.least[which] = self._bound(parted, which)
            parted.keep(which, self.least[which])
        self._beat(1)
        whole = _Solver(self._model, self.costs)
        # The bounds are not to be kept now: they may be beyond any plan.
        for which in (LATE, WAIT):
            parted.keep(which, NO_BOUND)
        self._dive(parted, whole, WEIGHTS @ self.costs, AT_ONCE[0])
        for which in (LATE, WAIT, SESSIONS, DAYS):
            self._beat(which + 2)
            if which in (SESSIONS, DAYS):
                self.least[which] = self._bound(parted, which)
            if which == SESSIONS:
                self._dive_deeper(parted, whole)
            self._better(whole, which)
            for solver in (parted, whole):
                solver.keep(which, self.sums()[which])

    @property
    def _left(self) -> float:
        return self._until - time.monotonic()

    def _bound(self, parted: _Solver, which: int) -> int:
        """How small a sum can be at least: as if people and sessions could be parted."""
        parted.asks_for(self.costs[which])
        if not parted.solves(self._left):
            return -NO_BOUND if (self.costs[which] < 0).any() else 0
        return math.ceil(float(self.costs[which] @ parted.values()) - NEAR)

    def _dive_deeper(self, parted: _Solver, whole: _Solver) -> None:
        """Make sessions whole once more, fewer at a time, with nobody late or waiting beyond what was found."""
        until = time.monotonic() + self._left * DEEPER
        for share in AT_ONCE:
            if time.monotonic() < until and self.sums()[SESSIONS] > self.least[SESSIONS]:
                self._dive(parted, whole, self.costs[SESSIONS], share)

    def _dive(self, parted: _Solver, whole: _Solver, costs: Values, share: float) -> None:
        """Make sessions whole, a share of the parted ones at a time, and look anew what is best then."""
        parted.asks_for(costs)
        low, high = np.zeros(len(self._every)), self._most.copy()
        raised = np.zeros(0, dtype=np.int32)
        while self._left > 0:
            parted.between(self._every, low, high)
            if parted.solves(self._left):
                values = parted.values()
                parts = values[self._sessions] - np.floor(values[self._sessions] + NEAR)
                some = np.flatnonzero(parts > NEAR)
                if not len(some):
                    self._take(whole, values)
                    break
                low[self._sessions] = np.maximum(low[self._sessions], np.floor(values[self._sessions] + NEAR))
                count = max(1, int(len(some) * share))
                raised = self._sessions[some[np.argsort(-parts[some], kind="stable")[:count]]]
            elif not len(raised):
                break
            else:
                # They do not fit together: half of them, or, of a single one, none.
                low[raised] -= 1
                if len(raised) == 1:
                    high[raised] = low[raised]
                raised = raised[: len(raised) // 2]
            low[raised] += 1
        parted.between(self._every, np.zeros(len(self._every)), self._most)

    def _take(self, whole: _Solver, values: Values) -> None:
        """Keep the plan of these sessions, with whole people in them, where it is better than what there is."""
        sessions = np.round(values[self._sessions])
        whole.between(self._sessions, sessions, sessions)
        whole.in_whole_numbers(self._every)
        whole.asks_for(WEIGHTS @ self.costs)
        whole.solves(max(self._left, 5.0))
        found = np.round(whole.values()) if whole.has_plan else self.best
        whole.between(self._sessions, np.zeros(len(sessions)), self._most[self._sessions])
        if self._sums_of(found) < self.sums():
            self.best = found

    def _better(self, whole: _Solver, which: int) -> None:
        """Look for a plan with a smaller sum, the sums before it as they are; and for what no plan can do better."""
        if self.sums()[which] <= self.least[which] or self._left < 1 or len(self._every) > LARGE:
            return
        whole.in_whole_numbers(self._whole)
        whole.asks_for(self.costs[which])
        whole.begins_with(self.best)
        whole.solves(self._left * SHARES[which])
        self.least[which] = max(self.least[which], whole.bound())
        if whole.has_plan:
            self._take(whole, whole.values())


class _Solver:
    """HiGHS with a model: what it is asked for changes, and so do the sums that it has to keep."""

    def __init__(self, model: Model, costs: NDArray[np.float64]) -> None:
        self._solver, self._columns = _passed(model), len(model.most)
        # Of each sum but the last a row, which keeps nothing at first.
        self._rows = {}
        for which in (LATE, WAIT, SESSIONS):
            used = np.flatnonzero(costs[which]).astype(np.int32)
            self._rows[which] = self._solver.getNumRow()
            self._solver.addRow(-highspy.kHighsInf, highspy.kHighsInf, len(used), used, costs[which][used])

    def keep(self, which: int, most: int) -> None:
        """A sum may not be more than that."""
        if which in self._rows:
            self._solver.changeRowBounds(
                self._rows[which], -highspy.kHighsInf, most + 0.5 if most < NO_BOUND else highspy.kHighsInf
            )

    def asks_for(self, costs: Values) -> None:
        """What is to be made small."""
        self._solver.changeColsCost(self._columns, np.arange(self._columns, dtype=np.int32), costs)

    def between(self, columns: NDArray[np.int32], low: Values, high: Values) -> None:
        self._solver.changeColsBounds(len(columns), columns, low, high)

    def in_whole_numbers(self, columns: NDArray[np.int32]) -> None:
        """These columns, and no others."""
        kinds = np.zeros(self._columns, dtype=np.uint8)
        kinds[columns] = 1
        self._solver.changeColsIntegrality(self._columns, np.arange(self._columns, dtype=np.int32), kinds)

    def begins_with(self, values: Values) -> None:
        start = highspy.HighsSolution()
        start.col_value = values.tolist()
        self._solver.setSolution(start)

    def solves(self, seconds: float) -> bool:
        """Whether it was worked out to the end in so many seconds."""
        self._solver.setOptionValue("time_limit", max(seconds, 0.1))
        self._solver.run()
        return bool(self._solver.getModelStatus() == highspy.HighsModelStatus.kOptimal)

    @property
    def has_plan(self) -> bool:
        found = self._solver.getInfo().primal_solution_status
        return bool(found == highspy.SolutionStatus.kSolutionStatusFeasible)

    def values(self) -> Values:
        """What was found last; a change of bounds forgets it."""
        return np.array(self._solver.getSolution().col_value)

    def bound(self) -> int:
        """What no plan can be below, of what was asked for last."""
        found = self._solver.getInfo().mip_dual_bound
        return math.ceil(found - NEAR) if math.isfinite(found) else -NO_BOUND


def _passed(model: Model) -> Any:
    lp = highspy.HighsLp()
    lp.num_col_, lp.num_row_ = len(model.most), len(model.rows)
    lp.col_cost_ = np.zeros(len(model.most))
    lp.col_lower_ = np.zeros(len(model.most))
    lp.col_upper_ = np.array(model.most, dtype=np.float64)
    lp.row_lower_ = np.full(len(model.rows), -highspy.kHighsInf)
    lp.row_upper_ = np.array([most for _, _, most in model.rows], dtype=np.float64)
    lengths = [len(columns) for columns, _, _ in model.rows]
    lp.a_matrix_.format_ = highspy.MatrixFormat.kRowwise
    lp.a_matrix_.start_ = np.r_[0, np.cumsum(lengths, dtype=np.int64)].astype(np.int32)
    lp.a_matrix_.index_ = np.array([c for columns, _, _ in model.rows for c in columns], dtype=np.int32)
    lp.a_matrix_.value_ = np.array([f for _, factors, _ in model.rows for f in factors], dtype=np.float64)
    solver: Any = highspy.Highs()  # type: ignore[no-untyped-call]
    solver.silent()
    # To the last one: a session fewer is a day of an instructor's.
    solver.setOptionValue("mip_rel_gap", 0.0)
    solver.setOptionValue("mip_abs_gap", 0.99)
    solver.passModel(lp)
    return solver
