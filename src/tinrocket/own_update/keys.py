"""The keys of one step, for every way in which update functions read them."""

from collections.abc import Iterator, Mapping
from typing import Any

EDGES = {
    "pressed": ("pressed", "just_pressed", "was_pressed", "tapped", "went_down", "down_now"),
    "released": ("released", "just_released", "was_released", "went_up", "up_now"),
    "held": ("held", "down", "is_down", "is_held", "is_pressed", "holding", "value", "values"),
}
"""Names that code uses for each kind of input."""
KIND_OF = {name: kind for kind, names in EDGES.items() for name in names}


class View:
    """One kind of input (held, pressed or released): an attribute, item, member or call."""

    __slots__ = ("_values", "_wanted")

    def __init__(self, values: Mapping[Any, Any], wanted: set[Any]) -> None:
        self._values, self._wanted = values, wanted

    def _value(self, name: Any) -> Any:
        if name not in self._values:
            self._wanted.add(name)
            return False
        return self._values[name]

    def __getattr__(self, name: str) -> Any:
        """Return the value of an action, such as ``keys.left``."""
        try:
            return self._values[name]
        except KeyError:
            if name.startswith("__"):
                raise AttributeError(name) from None
            return self._value(name)

    def __getitem__(self, name: Any) -> Any:
        """Return the value of an action, such as ``keys["left"]``."""
        return self._value(name)

    def __call__(self, name: Any, *_default: Any) -> Any:
        """Return the value of an action, such as ``keys("left")``."""
        return self._value(name)

    def get(self, name: Any, default: Any = False) -> Any:
        """Return the value of an action, or a default for one that is not on the tape."""
        return self._values[name] if name in self._values else (self._value(name) or default)

    def __contains__(self, name: Any) -> bool:
        """Return whether an action is on, such as ``"left" in keys``."""
        return bool(self._value(name))

    def __iter__(self) -> Iterator[Any]:
        """Yield the actions that are on."""
        return iter([name for name, value in self._values.items() if value])

    def __len__(self) -> int:
        """Return how many actions are on."""
        return sum(1 for value in self._values.values() if value)

    def __bool__(self) -> bool:
        """Return true: the object exists even if nothing is pressed."""
        return True


class Keys(View):
    """All input of one step: held actions directly, others as ``keys.pressed`` and the like."""

    __slots__ = ("_kinds",)

    def __init__(
        self,
        held: Mapping[Any, Any],
        pressed: Mapping[Any, Any],
        released: Mapping[Any, Any],
        wanted: set[Any],
    ) -> None:
        super().__init__(held, wanted)
        self._kinds = {
            "held": View(held, wanted),
            "pressed": View(pressed, wanted),
            "released": View(released, wanted),
        }

    def _value(self, name: Any) -> Any:
        if name not in self._values and isinstance(name, str) and name in KIND_OF:
            return self._kinds[KIND_OF[name]]
        return super()._value(name)

    def __contains__(self, name: Any) -> bool:
        """Return whether an action is held, such as ``"left" in keys``."""
        return bool(View._value(self, name))
