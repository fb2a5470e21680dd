"""A mixed-integer program, put together row by row and solved by HiGHS, with nothing printed."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field
from enum import IntEnum
from typing import Any

INFINITY = float("inf")
MOST_NODES = 2_000
_NOTHING = 1e-6
_TIME_LIMIT_S = 600.0
"""Only so that nothing ever hangs: no search of so many nodes takes as long."""
Terms = list[tuple[int, float]]
"""Variables with their coefficients."""


class Effort(IntEnum):
    """How much a search does beside its nodes: it may solve parts of the program apart, for good answers early. No
    bound needs that, and it takes most of the time. Which of them are worth it was measured.
    """

    LITTLE = 0
    USUAL = 1
    MUCH = 2
    """For very many choices, of which nodes alone find no good answer in time."""


_SEARCHES_IN_PARTS = (
    ("mip_heuristic_run_root_reduced_cost", Effort.USUAL),
    ("mip_heuristic_run_rens", Effort.MUCH),
    ("mip_heuristic_run_rins", None),
)
"""Each with the effort from which on it is made."""


@dataclass(frozen=True, slots=True)
class Solved:
    """What the solver found."""

    values: tuple[float, ...]
    """By variable; empty when there is no solution."""
    cost: float
    bound: float
    """Nothing can cost less, proven."""
    in_time: bool
    """False when the search ended before the proof."""
    impossible: bool = False
    """No values keep to all rows, proven."""


@dataclass(frozen=True, slots=True)
class Relaxed:
    """What a program comes to when parts of everything may be chosen."""

    bound: float
    """Nothing can cost less."""
    prices: tuple[float, ...]
    """By row: how much less it would all cost with one more of what bounds the row from above."""
    dear: tuple[float, ...]
    """By variable: how much more it would cost to choose it; 0 for those that are chosen in part."""


@dataclass(slots=True)
class IntegerProgram:
    """Minimise the sum of costs over variables of at least 0; those that are binary are 0 or 1."""

    costs: list[float] = field(default_factory=list)
    binary: list[bool] = field(default_factory=list)
    upper: list[float] = field(default_factory=list)
    rows: list[tuple[float, float, list[tuple[int, float]]]] = field(default_factory=list)
    """Lower and upper bound, and the coefficients by variable."""

    def variable(self, cost: float, binary: bool = True, upper: float = INFINITY) -> int:
        """A new variable, at most 1 where it is binary, else at most `upper`; its number."""
        self.costs.append(cost)
        self.binary.append(binary)
        self.upper.append(1.0 if binary else upper)
        return len(self.costs) - 1

    def row(self, terms: Sequence[tuple[int, float]], lower: float = -INFINITY, upper: float = INFINITY) -> int:
        """The sum of these variables with their coefficients stays between the bounds; the row's number."""
        self.rows.append((lower, upper, list(terms)))
        return len(self.rows) - 1

    def solve(
        self,
        gap: float,
        most_nodes: int = MOST_NODES,
        costs: Mapping[int, float] | None = None,
        start: Mapping[int, float] | None = None,
        without: Collection[int] = (),
        effort: Effort = Effort.USUAL,
    ) -> Solved:
        """The best values, or the best found in so many nodes of the search: that is counted and not timed, so that the
        same program gets the same answer however busy the computer is. One thread and a fixed seed.

        `gap` is by how much the answer may miss the best possible cost. With `costs`, by variable, these count instead
        of the program's own, and all others nothing. `start` are values, by variable, to begin with; those `without`
        stay at 0.
        """
        import highspy  # slow to load, and only a proposal needs it
        import numpy

        # The class under the package's own: that one prints a banner as it is made, before it can be silenced.
        solver: Any = highspy.Highs.__base__()  # type: ignore[misc]
        for option, value in (
            ("output_flag", False),
            ("threads", 1),
            ("random_seed", 1),
            ("mip_rel_gap", 0.0),
            ("mip_abs_gap", gap),
            ("mip_max_nodes", most_nodes),
            ("time_limit", _TIME_LIMIT_S),
            ("mip_allow_cut_separation_at_nodes", False),  # costs a fifth of the time and brings nothing, measured
            *((option, least is not None and effort >= least) for option, least in _SEARCHES_IN_PARTS),
        ):
            solver.setOptionValue(option, value)
        own = self.costs if costs is None else [costs.get(number, 0.0) for number in range(len(self.costs))]
        model = self._model(highspy, own)
        _leave_out(model, without)
        solver.passModel(model)
        if start:
            # HiGHS 1.16 may carry a start into the presolved program as something better than it is, and give it back.
            solver.setOptionValue("presolve", "off")
            numbers = sorted(start)
            solver.setSolution(
                len(numbers), numpy.array(numbers, dtype=numpy.int32), numpy.array([start[n] for n in numbers])
            )
        solver.run()
        info, status = solver.getInfo(), solver.getModelStatus()
        values = tuple(solver.getSolution().col_value) if info.primal_solution_status == 2 else ()
        statuses = highspy.HighsModelStatus
        impossible = status in (statuses.kInfeasible, statuses.kUnboundedOrInfeasible)
        return Solved(
            values, info.objective_function_value, info.mip_dual_bound, status == statuses.kOptimal, impossible
        )

    def relaxed(self, without: Collection[int] = ()) -> Relaxed:
        """The program with no variable binary, and those `without` at 0: how good it can be at most, and what each row
        is worth.
        """
        import highspy

        solver: Any = highspy.Highs.__base__()  # type: ignore[misc]
        solver.setOptionValue("output_flag", False)
        solver.setOptionValue("threads", 1)
        model = self._model(highspy, self.costs)
        model.integrality_ = [highspy.HighsVarType.kContinuous] * len(self.costs)
        _leave_out(model, without)
        solver.passModel(model)
        solver.run()
        solution, optimal = solver.getSolution(), solver.getModelStatus() == highspy.HighsModelStatus.kOptimal
        bound = solver.getInfo().objective_function_value if optimal else -INFINITY
        if not optimal:
            return Relaxed(bound, (0.0,) * len(self.rows), (0.0,) * len(self.costs))
        values = zip(solution.col_value, solution.col_dual, strict=True)
        dear = (0.0 if value > _NOTHING else dual for value, dual in values)
        return Relaxed(bound, tuple(-dual for dual in solution.row_dual), tuple(dear))

    def _model(self, highspy: Any, costs: list[float]) -> Any:
        model, infinity = highspy.HighsLp(), highspy.kHighsInf
        model.num_col_, model.num_row_ = len(self.costs), len(self.rows)
        model.col_cost_ = costs
        model.col_lower_ = [0.0] * len(self.costs)
        model.col_upper_ = [min(infinity, upper) for upper in self.upper]
        model.row_lower_ = [max(-infinity, lower) for lower, _, _ in self.rows]
        model.row_upper_ = [min(infinity, upper) for _, upper, _ in self.rows]
        starts, indexes, coefficients = [0], [], []
        for _, _, terms in self.rows:
            indexes += [number for number, _ in terms]
            coefficients += [value for _, value in terms]
            starts.append(len(indexes))
        matrix = model.a_matrix_
        matrix.format_ = highspy.MatrixFormat.kRowwise
        matrix.start_, matrix.index_, matrix.value_ = starts, indexes, coefficients
        kinds = highspy.HighsVarType
        model.integrality_ = [kinds.kInteger if binary else kinds.kContinuous for binary in self.binary]
        return model


def _leave_out(model: Any, without: Collection[int]) -> None:
    if without:
        left_out = set(without)
        model.col_upper_ = [0.0 if number in left_out else upper for number, upper in enumerate(model.col_upper_)]
