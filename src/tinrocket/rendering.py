"""Results as sentences, and as HTML in a notebook.

Results are made in packages without pictures.  This module hands them on to `show`,
the one declared import against the direction of the layers; it is loaded when a result is shown.
"""

from functools import singledispatch


@singledispatch
def as_text(result: object) -> str:
    """Return a result in sentences."""
    return repr(result)


@singledispatch
def as_html(result: object) -> str:
    """Return a result for a notebook: its sentences, table and picture."""
    return repr(result)


def text_of(result: object) -> str:
    """Return a result in sentences, as `show` has registered it."""
    _load()
    return as_text(result)


def html_of(result: object) -> str:
    """Return a result as HTML, as `show` has registered it."""
    _load()
    return as_html(result)


def _load() -> None:
    import tinrocket.show.notebook  # noqa: F401  # registers how each result is shown
