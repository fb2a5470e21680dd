"""A mixed-integer program, put together row by row and solved by HiGHS, with nothing printed."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

INFINITY = float("inf")
Terms = list[tuple[int, float]]
"""Variables with their coefficients."""


@dataclass(frozen=True, slots=True)
class Solved:
    """What the solver found."""

    values: tuple[float, ...]
    """By variable; empty when there is no solution."""
    cost: float
    bound: float
    """Nothing can cost less, proven."""
    in_time: bool
    """False when the time limit came before the proof."""
    impossible: bool = False
    """No values keep to all rows, proven."""


@dataclass(slots=True)
class IntegerProgram:
    """Minimise the sum of costs over variables of at least 0; those that are binary are 0 or 1."""

    costs: list[float] = field(default_factory=list)
    binary: list[bool] = field(default_factory=list)
    rows: list[tuple[float, float, list[tuple[int, float]]]] = field(default_factory=list)
    """Lower and upper bound, and the coefficients by variable."""

    def variable(self, cost: float, binary: bool = True) -> int:
        """A new variable; its number."""
        self.costs.append(cost)
        self.binary.append(binary)
        return len(self.costs) - 1

    def row(self, terms: Sequence[tuple[int, float]], lower: float = -INFINITY, upper: float = INFINITY) -> None:
        """The sum of these variables with their coefficients stays between the bounds."""
        self.rows.append((lower, upper, list(terms)))

    def solve(self, gap: float, time_limit_s: float, costs: Mapping[int, float] | None = None) -> Solved:
        """The best values, or the best found in time. One thread and a fixed seed: the same program, the same answer.

        `gap` is the share of the cost by which the answer may miss the best possible. With `costs`, by variable, these
        count instead of the program's own, and all others nothing.
        """
        import highspy  # slow to load, and only a proposal needs it

        # The class under the package's own: that one prints a banner as it is made, before it can be silenced.
        solver: Any = highspy.Highs.__base__()  # type: ignore[misc]
        for option, value in (
            ("output_flag", False),
            ("threads", 1),
            ("random_seed", 1),
            ("mip_rel_gap", gap),
            ("time_limit", time_limit_s),
        ):
            solver.setOptionValue(option, value)
        own = self.costs if costs is None else [costs.get(number, 0.0) for number in range(len(self.costs))]
        solver.passModel(self._model(highspy, own))
        solver.run()
        info, status = solver.getInfo(), solver.getModelStatus()
        values = tuple(solver.getSolution().col_value) if info.primal_solution_status == 2 else ()
        statuses = highspy.HighsModelStatus
        impossible = status in (statuses.kInfeasible, statuses.kUnboundedOrInfeasible)
        return Solved(
            values, info.objective_function_value, info.mip_dual_bound, status == statuses.kOptimal, impossible
        )

    def _model(self, highspy: Any, costs: list[float]) -> Any:
        model, infinity = highspy.HighsLp(), highspy.kHighsInf
        model.num_col_, model.num_row_ = len(self.costs), len(self.rows)
        model.col_cost_ = costs
        model.col_lower_ = [0.0] * len(self.costs)
        model.col_upper_ = [1.0 if binary else infinity for binary in self.binary]
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
