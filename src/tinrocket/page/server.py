"""The local server of `tinrocket play`: serves the page, and saves tapes and numbers.

It listens on the loopback address alone.  Every address begins with a random token; requests for
another host, or from another origin, are refused; and no address names a file: files are saved
beside the scenario under names made here.
"""

import asyncio
import secrets
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from starlette.applications import Starlette
from starlette.requests import Request
from starlette.responses import HTMLResponse, JSONResponse, PlainTextResponse, Response
from starlette.routing import Route

from tinrocket.errors import OptionError, TinRocketError, expect
from tinrocket.files import write_text
from tinrocket.page.choice_session import ChoiceSession
from tinrocket.page.document import document
from tinrocket.page.tables import text_html
from tinrocket.scenario.toml_file import read_scenario
from tinrocket.scenario.vary import with_value
from tinrocket.texts import plain
from tinrocket.why.applying import apply_cure

HOST = "127.0.0.1"
LARGEST = 20_000_000
"""Largest size of a save [bytes]."""
WAIT, LOOK_EVERY = 20.0, 0.25
"""How long a request for changes waits for one, and how often the file is checked [s]."""
MOST_SAVED = 10_000
"""Most numbered files of one name."""


@dataclass(frozen=True)
class PlayedPage:
    """A page that is played, and its scenario's file.

    Attributes
    ----------
    file
        The scenario's file.
    make
        Function that reads the file, and returns the page for a token.
    choice
        Session of a choice in the page, or None.
    token
        Token with which every address begins.
    """

    file: Path
    make: Callable[[str], str]
    allow_outside: bool = False
    choice: ChoiceSession | None = None
    token: str = field(default_factory=lambda: secrets.token_urlsafe(24))

    def app(self, port: int) -> Starlette:
        """Return the server's application, for the port that it listens on."""
        hosts = {f"{HOST}:{port}", f"localhost:{port}"}
        begin = f"/{self.token}"

        def guarded(answer: Callable[[Request], Any]) -> Callable[[Request], Any]:
            async def respond(request: Request) -> Response:
                refused = _refusal(request, hosts)
                if refused is not None:
                    return refused
                response: Response = await answer(request)
                return response

            return respond

        return Starlette(
            routes=[
                Route(f"{begin}/", guarded(self._page)),
                Route(f"{begin}/changed", guarded(self._changed)),
                Route(f"{begin}/save", guarded(self._save), methods=["POST"]),
                Route(f"{begin}/answer", guarded(self._answer), methods=["POST"]),
            ]
        )

    async def _page(self, _request: Request) -> Response:
        return HTMLResponse(await asyncio.to_thread(self._html), headers=HEADERS)

    def _html(self) -> str:
        try:
            return self.make(self.token)
        except TinRocketError as error:  # shown until the file is mended
            problems = "".join(f"<p>{text_html(line)}</p>" for line in str(error).splitlines())
            return document({"title": self.file.name, "token": self.token, "verdict": problems})

    async def _changed(self, request: Request) -> Response:
        """Answer "yes" as soon as the file changes, or "no" after a while."""
        before = request.query_params.get("since", "")
        now = before
        for _ in range(int(WAIT / LOOK_EVERY)):
            now = _state(self.file)
            if now != before or await request.is_disconnected():
                break
            await asyncio.sleep(LOOK_EVERY)
        return PlainTextResponse(now, headers=HEADERS)

    async def _save(self, request: Request) -> Response:
        return await self._taken(request, self._saved)

    def _saved(self, body: Mapping[str, Any]) -> Response:
        return PlainTextResponse(f"saved {' and '.join(path.name for path in self.save(body))}")

    async def _answer(self, request: Request) -> Response:
        return await self._taken(request, self._answered)

    def _answered(self, body: Mapping[str, Any]) -> Response:
        if self.choice is None:
            raise OptionError("this page asks for no answers")
        return JSONResponse(self.choice.answer(body), headers=HEADERS)

    async def _taken(
        self, request: Request, take: Callable[[Mapping[str, Any]], Response]
    ) -> Response:
        """Return the response to data from a page, or why it is refused."""
        token = request.headers.get("x-tinrocket-token", "")
        if not secrets.compare_digest(token.encode(), self.token.encode()):
            return PlainTextResponse("the token is wrong", status_code=403)
        length = request.headers.get("content-length", "")
        if not length.isdecimal() or int(length) > LARGEST:
            return PlainTextResponse(f"at most {LARGEST:,} bytes can be saved", status_code=413)
        try:
            body = await request.json()
            expect(body, dict, "a request", "send a table of JSON")
            return await asyncio.to_thread(take, body)
        except (ValueError, TypeError, KeyError, TinRocketError) as error:
            return PlainTextResponse(plain(f"not saved: {error}"), status_code=400)

    def save(self, body: Mapping[str, Any]) -> list[Path]:
        """Write a tape and changed numbers beside the scenario, under new names.

        Raises
        ------
        OptionError
            If it does not have the form that a page sends.
        ScenarioError, FileError
            If a number does not fit, or a file cannot be written.
        """
        tape, numbers = body.get("tape"), body.get("numbers")
        if not isinstance(tape, str) or not isinstance(numbers, list):
            raise OptionError("a page sends a tape as text, and a list of numbers")
        hands = self._new("hands", ".csv")
        write_text(hands, tape)
        if not numbers:
            return [hands]
        changed = read_scenario(self.file, allow_outside=self.allow_outside)
        for number in numbers:
            value = float(number["value"])
            changed = with_value(
                changed,
                str(number["path"]),
                f"{value:g} frames" if number["counts_frames"] else value,
            )
        return [hands, apply_cure(self.file, changed, self._new("played", ".toml"))]

    def _new(self, what: str, ending: str) -> Path:
        """Return an unused file name beside the scenario."""
        for number in range(1, MOST_SAVED):
            counted = "" if number == 1 else f"-{number}"
            path = self.file.with_name(f"{self.file.stem}.{what}{counted}{ending}")
            if not path.exists() and not path.is_symlink():
                return path
        raise OptionError(f"there are {MOST_SAVED:,} saved files already; move some away")


HEADERS = {
    "cache-control": "no-store",
    "cross-origin-opener-policy": "same-origin",
    "cross-origin-resource-policy": "same-origin",
    "referrer-policy": "no-referrer",
    "x-content-type-options": "nosniff",
    "x-frame-options": "DENY",
}


def _refusal(request: Request, hosts: set[str]) -> Response | None:
    """Return why a request is refused: for another host, or from another origin."""
    if request.headers.get("host", "") not in hosts:
        return PlainTextResponse("this is another host", status_code=403)
    origin = request.headers.get("origin")
    if origin is not None and origin not in {f"http://{host}" for host in hosts}:
        return PlainTextResponse("this comes from another page", status_code=403)
    if request.headers.get("sec-fetch-site", "none") not in ("none", "same-origin"):
        return PlainTextResponse("this comes from another page", status_code=403)
    return None


def _state(file: Path) -> str:
    """Return a value that changes with the file."""
    try:
        status = file.stat()
    except OSError:
        return "gone"
    return f"{status.st_mtime_ns} {status.st_size}"
