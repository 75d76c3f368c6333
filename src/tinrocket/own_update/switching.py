"""The user's functions, compiled with a switch for each finding."""

import __future__

import ast
import copy
from collections.abc import Sequence
from dataclasses import dataclass, field
from math import inf, log1p
from types import CodeType
from typing import Any, cast

from tinrocket.own_update.finding import STEP, Edit, Finding, frames_text
from tinrocket.own_update.routines import Code

RUNTIME = "__flight__"
"""Global name of the switches in the compiled functions."""


@dataclass(eq=False)
class Switches:
    """Run-time state of the compiled functions.

    Attributes
    ----------
    gone
        Whether each finding is mended.
    dt
        The length of the step, in the unit of the update.
    ran
        For each finding and object the steps in which its statement ran.
    step
        Number of the step.
    hazards
        For each random test the threshold drawn, and what has been added up toward it.
    draw
        Draws the next threshold.
    """

    gone: list[bool]
    dt: float = 0.0
    ran: dict[tuple[int, int], list[int]] = field(default_factory=dict)
    step: int = 0
    hazards: dict[int, list[float]] = field(default_factory=dict)
    draw: Any = None

    def note(self, finding: int, owner: object) -> None:
        """Record that the statement of a finding runs in this step, for an object."""
        steps = self.ran.setdefault((finding, id(owner)), [])
        if not steps or steps[-1] != self.step:
            steps.append(self.step)

    def happens(self, finding: int, chance: float, frames: float) -> bool:
        """Return whether a chance per tuned frame strikes, over some frames.

        The waits are drawn beforehand, and are the same at every frame rate: the test strikes as
        its hazard -log(1 - chance), added up over frames, passes the next draw from Exp(1).
        """
        state = self.hazards.setdefault(finding, [self.draw(finding), 0.0])
        state[1] += -log1p(-chance) * frames if chance < 1.0 else inf
        if state[1] < state[0]:
            return False
        state[:] = [self.draw(finding), 0.0]
        return True


def compiled(
    code: Code, findings: Sequence[Finding], path: str, *, profiled: bool = False
) -> CodeType:
    """Return the functions and classes of an update, with a switch for each finding.

    Parameters
    ----------
    findings
        Findings that get a switch; without any the functions are unchanged.
    path
        Name of the file, for tracebacks.
    profiled
        Whether to record the steps in which each statement runs.
    """
    memo: dict[int, Any] = {}
    tree = copy.deepcopy(code.tree, memo)
    switcher = _Switcher(code, findings, memo, profiled)
    wanted = {routine.name.partition(".")[0] for routine in code.routines}
    body = [
        switcher.visit(node)
        for node in tree.body
        if isinstance(node, ast.FunctionDef | ast.ClassDef) and node.name in wanted
    ]
    module = ast.Module(body, [])
    ast.fix_missing_locations(module)
    futures = [
        statement
        for statement in code.tree.body
        if isinstance(statement, ast.ImportFrom) and statement.module == "__future__"
    ]
    flags = 0
    for future_import in futures:
        for name in future_import.names:
            flags |= getattr(__future__, name.name).compiler_flag
    return cast("CodeType", compile(module, path, "exec", flags=flags, dont_inherit=True))


class _Switcher(ast.NodeTransformer):
    def __init__(
        self, code: Code, findings: Sequence[Finding], memo: dict[int, Any], profiled: bool
    ) -> None:
        self.code, self.profiled = code, profiled
        self.edits: dict[int, tuple[int, Finding, Edit]] = {}
        self.inserted: dict[int, list[tuple[int, Edit]]] = {}
        self.notes: dict[int, list[tuple[int, Finding]]] = {}
        for number, finding in enumerate(findings):
            for edit in finding.edits:
                place = id(memo[id(edit.node)])
                if edit.before:
                    self.inserted.setdefault(place, []).append((number, edit))
                else:
                    self.edits[place] = number, finding, edit
            self.notes.setdefault(id(memo[id(finding.statement)]), []).append((number, finding))

    def visit(self, node: ast.AST) -> Any:
        noted = self.notes.get(id(node), []) if self.profiled else []
        lines = [self._note(number, finding, node) for number, finding in noted]
        for _number, edit in self.inserted.get(id(node), []):
            lines.append(_placed(ast.parse(edit.text).body[0], node))
        changed = self._switched(node)
        if not lines:
            return changed
        return [*lines, *(changed if isinstance(changed, list) else [changed])]

    def _switched(self, node: ast.AST) -> Any:
        replacement = self.edits.get(id(node))
        if replacement is None:
            return self.generic_visit(node)
        number, finding, edit = replacement
        name = self.code.time_name(finding.routine)
        text = edit.text.replace(STEP, name[0] if name else f"{RUNTIME}.dt")
        gone = f"{RUNTIME}.gone[{number}]"
        if edit.chance:
            frames = frames_text(self.code, finding.routine)
            frames = frames.replace(STEP, name[0] if name else f"{RUNTIME}.dt")
            call = f"{RUNTIME}.happens({number}, {edit.chance}, ({frames}) if {gone} else 1.0)"
            return _placed(ast.parse(call, mode="eval").body, node)
        if isinstance(node, ast.expr):
            switched = ast.parse(f"({text}) if {gone} else None", mode="eval").body
            assert isinstance(switched, ast.IfExp)
            _placed(switched, node)
            switched.orelse = node
            return switched
        branch = ast.parse(f"if {gone}:\n    {text}\nelse:\n    pass").body[0]
        assert isinstance(branch, ast.If)
        _placed(branch, node)
        branch.orelse = [node]  # type: ignore[list-item]  # a statement
        return branch

    def _note(self, number: int, finding: Finding, node: ast.AST) -> ast.stmt:
        owner = finding.target.rpartition(".")[0] or "None"
        if isinstance(node, ast.Return):  # a state that is replaced in each step
            owner = "None"
        try:
            ast.parse(owner, mode="eval")
        except SyntaxError:
            owner = "None"
        call = ast.parse(f"{RUNTIME}.note({number}, {owner})").body[0]
        _placed(call, node)
        return call


def _placed(made: Any, node: ast.AST) -> Any:
    """Give new nodes the place of the node that they replace, for tracebacks."""
    for inner in ast.walk(made):
        if hasattr(node, "lineno"):
            ast.copy_location(inner, node)
    return made
