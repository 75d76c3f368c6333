"""Arrays that are used without being owned.

Compiled code counts who holds an array, with an atomic addition and subtraction for each
array that is handed to a function.  Handing on the two dozen arrays of a flight so cost a
contact phase with nothing to do 1.3 microseconds, and 0.2 without.  The caller of the
loop owns all of them for as long as it flies, so that the loop need not count.
"""

from typing import Any, TypeVar

from numba.core import cgutils, types
from numba.extending import lower_builtin, type_callable

Held = TypeVar("Held")


def borrow(held: Held) -> Held:
    """Return the same arrays, tuples of them and all; compiled code counts no holders of them."""
    return held


@type_callable(borrow)
def _types_of_borrow(_context: Any) -> Any:
    def typer(held: Any) -> Any:
        return held

    return typer


@lower_builtin(borrow, types.Any)  # type: ignore[no-untyped-call, untyped-decorator]
def _lower_borrow(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
    return _without_owners(context, builder, signature.args[0], arguments[0])


def _without_owners(context: Any, builder: Any, kind: Any, value: Any) -> Any:
    if isinstance(kind, types.Array):
        array = context.make_array(kind)(context, builder, value=value)
        for owner in ("meminfo", "parent"):
            nobody = cgutils.get_null_value(getattr(array, owner).type)  # type: ignore[no-untyped-call]
            setattr(array, owner, nobody)
        return array._getvalue()
    if isinstance(kind, types.BaseTuple):
        parts: Any = kind
        for index, part in enumerate(parts):
            one = builder.extract_value(value, index)
            one = _without_owners(context, builder, part, one)
            value = builder.insert_value(value, one, index)
    return value
