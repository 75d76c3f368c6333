"""SciPy, which is loaded when a search begins."""

from typing import Any

from tinrocket.errors import MissingExtraError


def scipy() -> Any:
    """Return SciPy with the modules that searches use.

    Raises
    ------
    MissingExtraError
        If it is not installed.
    """
    try:
        import scipy
        import scipy.optimize
        import scipy.special
        import scipy.stats
    except ImportError:
        raise MissingExtraError(
            "searching needs SciPy; install it with: pip install 'tinrocket[tune]'"
        ) from None
    return scipy
