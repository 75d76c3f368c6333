"""The pytest plugin: two fixtures that assert feel, and an option to renew pins."""

from collections.abc import Callable
from typing import Any

import pytest

import tinrocket


def pytest_addoption(parser: pytest.Parser) -> None:
    """Add the option that renews pins."""
    group = parser.getgroup("tinrocket")
    group.addoption("--tinrocket-update", action="store_true", help="write the pins of feel anew")


@pytest.fixture(scope="session")
def assert_same_feel() -> Callable[..., None]:
    """Assert that two scenarios feel the same; see `tinrocket.assert_same_feel`."""
    return tinrocket.assert_same_feel


@pytest.fixture(scope="session")
def assert_pinned(pytestconfig: pytest.Config) -> Callable[..., None]:
    """Assert that a scenario matches its pin, or renew the pin with --tinrocket-update."""

    def pinned(*arguments: Any, **options: Any) -> None:
        __tracebackhide__ = True
        renews = {"update": pytestconfig.getoption("--tinrocket-update")}
        tinrocket.assert_pinned(*arguments, **renews | options)

    return pinned
