"""A plan as WebAssembly: whole, or without the kernels that are modules of their own.

Contacts and the stage depend on no scenario, and are most of the code.  They are compiled once for
all plans; of each plan only the composed function is compiled.
"""

import gc
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from functools import partial
from threading import Lock
from typing import TYPE_CHECKING, Any

import wasmtime

from tinrocket.compile import batch
from tinrocket.compile.memory import Place
from tinrocket.compile.user_rules import described, in_subset
from tinrocket.language import cache, machine, wat
from tinrocket.language.check import Checker
from tinrocket.language.records import Pointer
from tinrocket.language.subset import parsed
from tinrocket.motion.contacts.clearance import anything_near
from tinrocket.motion.contacts.phase import meet
from tinrocket.motion.edges import settle
from tinrocket.motion.stage.conditions import begin_watching
from tinrocket.motion.stage.phase import conduct

if TYPE_CHECKING:
    from tinrocket.compile.plan import Plan

EXPORTS = ("fly", "fly_batch")
SHARED: tuple[tuple[Callable[..., Any], ...], ...] = (
    (meet, anything_near, settle),
    (conduct, begin_watching),
)
"""Kernels that all plans share, one tuple per module; a plan that calls one imports the module."""

_kernels, _printing = Checker(), Lock()
"""The package's own kernels, compiled once and shared by all plans, and their users."""


def text_of(plan: "Plan", function: str = "", names: Mapping[str, Any] | None = None) -> str:
    """Return a plan as the text of one module, which imports its memory alone.

    Parameters
    ----------
    function
        Source of one more function that it exports.
    names
        Values of that function's names, beside those of the plan.

    Raises
    ------
    SubsetError
        If a user's rule leaves the subset.
    """
    return _printed(plan, (), function, names or {})


def modules_of(plan: "Plan") -> list[wasmtime.Module]:
    """Return a plan as machine code, compiled if it is new: each module imports those before it."""
    shared = [kernels for kernels in SHARED if kernels[0] in plan.names.values()]
    modules = [
        machine.module_of(cache.key_of(*map(_described, kernels)), partial(_shared, kernels))
        for kernels in shared
    ]
    taken = [kernel for kernels in shared for kernel in kernels]
    return [*modules, machine.module_of(plan.key, lambda: _binary(_printed(plan, taken)))]


def key_of(plan: "Plan") -> str:
    """Return a digest of everything that a compiled plan depends on."""
    names = [f"{name} {_described(value)}" for name, value in plan.names.items()]
    users = [described(user_rule) for user_rule in plan.user_rules.values()]
    return cache.key_of(plan.source, "\n".join(names), *users)


def _binary(text: str) -> bytes:
    return bytes(wasmtime.wat2wasm(text))


def _shared(kernels: Sequence[Callable[..., Any]]) -> bytes:
    """Return kernels, and the kernels that they call, as a module."""
    with _collector_paused(), _printing:
        checker = Checker(_kernels)
        exports = [checker.called(kernel).name for kernel in kernels]
        text = wat.module(checker.functions.values(), exports, 1)
    return _binary(text)


def _printed(
    plan: "Plan",
    taken: Sequence[Callable[..., Any]],
    function: str = "",
    added: Mapping[str, Any] | None = None,
) -> str:
    """Return a plan as text that imports some kernels, and may export one more function."""
    with _collector_paused(), _printing:
        checker = Checker(_kernels)
        known = {**plan.names, **(added or {})}
        names: dict[str, Any] = {name: _named(value) for name, value in known.items()}
        for rule in plan.user_rules.values():
            source, kinds = in_subset(rule, plan.memory_of(rule))
            checker.known[rule] = checker.function(source, kinds)
        exports = list(EXPORTS)
        for source in parsed(f"{plan.source}\n{batch.TEXT}\n{function}", names, "<plan>"):
            names[source.tree.name] = handle = _Handle()
            checker.known[handle] = checker.function(source)
            if source.tree.name not in exports:
                exports.append(source.tree.name)
        imports = {checker.called(kernel).name for kernel in taken}
        return wat.module(checker.functions.values(), exports, 1, imports)


def _described(value: Any) -> str:
    """Return the value of a name as a text that differs if the module would."""
    if isinstance(value, Place | tuple):
        place, index = value if isinstance(value, tuple) else (value, 0)
        return f"{place.kind.__name__} {place.cell} {index} {getattr(place.kind, 'fields', '')}"
    return f"{getattr(value, '__module__', '')} {getattr(value, '__qualname__', value)}"


@contextmanager
def _collector_paused() -> Iterator[None]:
    """Pause the garbage collector while syntax trees are built.

    Building trees triggers the collector, which then visits every object of pandas: that took
    longer than checking and printing.
    """
    runs = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if runs:
            gc.enable()


class _Handle:
    """Stand-in for a composed function that another one calls."""

    def __call__(self) -> None:
        """Do nothing: only checked code calls it, in its compiled form."""


def _named(value: Any) -> Any:
    """Return the value of a name for checked code: a place by its address."""
    return _pointer(value) if isinstance(value, Place | tuple) else value


def _pointer(value: Place | tuple[Place, int]) -> Pointer:
    if isinstance(value, tuple):
        place, index = value
        return place.pointer()[index]  # type: ignore[index,no-any-return]
    return value.pointer()
