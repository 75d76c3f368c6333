"""A page from a local server, until Ctrl-C: what `play` and `choose` share."""

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from tinrocket.errors import MissingExtraError, OptionError

if TYPE_CHECKING:
    from tinrocket.page.choice_session import ChoiceSession


def serve(
    file: Path,
    make: Callable[[str], str],
    *,
    port: int,
    browser: bool,
    allow_outside: bool,
    doing: str,
    choice: "ChoiceSession | None" = None,
) -> None:
    """Hand out a page for a scenario's file on the loopback address until Ctrl-C.

    Parameters
    ----------
    file, make, allow_outside, choice
        As `PlayedPage` takes them.
    doing
        Text printed before the file's name.

    Raises
    ------
    MissingExtraError
        Without the extra `play`.
    OptionError
        If the port cannot be listened on.
    """
    import socket
    from contextlib import suppress

    from tinrocket.cli.output import echo

    try:
        import uvicorn

        from tinrocket.page.server import HOST, PlayedPage
    except ImportError:
        raise MissingExtraError(
            "this needs a local server; install it with: pip install 'tinrocket[play]'"
        ) from None
    page = PlayedPage(file.resolve(), make, allow_outside, choice=choice)
    with socket.socket() as listening:
        try:
            listening.bind((HOST, port))
            listening.listen()
        except (OSError, OverflowError) as error:
            raise OptionError(f"--port {port}: cannot listen there: {error}") from None
        taken = listening.getsockname()[1]
        address = f"http://{HOST}:{taken}/{page.token}/"
        echo(f"{doing} {file.name} at {address}")
        echo("press Ctrl-C to end")
        if browser:
            import webbrowser

            webbrowser.open(address)
        config = uvicorn.Config(page.app(taken), log_level="error", access_log=False)
        with suppress(KeyboardInterrupt):
            uvicorn.Server(config).run(sockets=[listening])
