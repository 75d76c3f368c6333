"""`tinrocket play`: fly a scenario by hand in the browser, and tune it while it flies."""

from tinrocket.cli.session import (
    USUAL_RATES,
    AllowOutside,
    InBrowser,
    Port,
    Rates,
    RulesFile,
    ScenarioFile,
    Session,
)


def play(
    scenario: ScenarioFile,
    rates: Rates = USUAL_RATES,
    port: Port = 0,
    browser: InBrowser = True,
    rules: RulesFile = None,
    allow_outside: AllowOutside = False,
) -> None:
    """Fly a scenario by hand in the browser, and tune its numbers while it flies.

    A local server hands out the page, and saves the recorded tape and the changed numbers beside
    the scenario.  The page loads anew when the scenario's file changes.  Ends with Ctrl-C.
    """
    from tinrocket.cli.local_page import serve
    from tinrocket.comparison.compare import compare
    from tinrocket.errors import OptionError
    from tinrocket.page.document import document
    from tinrocket.page.page_data import page_data

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

    serve(
        scenario,
        make,
        port=port,
        browser=browser,
        allow_outside=allow_outside,
        doing="playing",
    )
