"""`tinrocket play`: fly a scenario by hand in the browser, and tune it while it flies."""

from typing import Annotated

import typer

from tinrocket.cli.session import (
    USUAL_RATES,
    AllowOutside,
    Rates,
    RulesFile,
    ScenarioFile,
    Session,
)


def play(
    scenario: ScenarioFile,
    rates: Rates = USUAL_RATES,
    port: Annotated[int, typer.Option(help="Port to listen on (default: any free one).")] = 0,
    browser: Annotated[bool, typer.Option(help="Open the page in the browser.")] = True,
    rules: RulesFile = None,
    allow_outside: AllowOutside = False,
) -> None:
    """Fly a scenario by hand in the browser, and tune its numbers while it flies.

    A local server hands out the page, and saves the recorded tape and the changed numbers beside
    the scenario.  The page loads anew when the scenario's file changes.  Ends with Ctrl-C.
    """
    import socket
    from contextlib import suppress

    from tinrocket.cli.output import echo
    from tinrocket.comparison.compare import compare
    from tinrocket.errors import MissingExtraError, OptionError
    from tinrocket.page.document import document
    from tinrocket.page.page_data import page_data

    try:
        import uvicorn

        from tinrocket.page.server import HOST, PlayedPage
    except ImportError:
        raise MissingExtraError(
            "'play' needs a local server; install it with: pip install 'tinrocket[play]'"
        ) from None
    session = Session(scenario, rules, allow_outside, rates=rates)
    if session.scenario.flown_by is not None:
        raise OptionError(
            "an update function is Python, which no browser flies; "
            "'report' replays it, and 'new --from-code' writes it as a scenario"
        )

    def make(token: str) -> str:
        chosen = session.read()
        comparison = compare(chosen, session.parsed_rates)
        flights = [run.flight for run in comparison.runs]
        return document(page_data(chosen, comparison, flights, file=scenario.name, token=token))

    page = PlayedPage(scenario.resolve(), make, allow_outside)
    with socket.socket() as listening:
        try:
            listening.bind((HOST, port))
            listening.listen()
        except (OSError, OverflowError) as error:
            raise OptionError(f"--port {port}: cannot listen there: {error}") from None
        taken = listening.getsockname()[1]
        address = f"http://{HOST}:{taken}/{page.token}/"
        echo(f"playing {scenario.name} at {address}")
        echo("press Ctrl-C to end")
        if browser:
            import webbrowser

            webbrowser.open(address)
        config = uvicorn.Config(page.app(taken), log_level="error", access_log=False)
        with suppress(KeyboardInterrupt):
            uvicorn.Server(config).run(sockets=[listening])
