"""The HTML document of a page: one file without network requests.

A strict content security policy allows the page's own script and style, by their digests, and
nothing else; what comes from a scenario is data, never markup or code.
"""

import base64
import hashlib
import json
from importlib.resources import files
from typing import Any

from tinrocket.page.tables import text_html


def document(data: dict[str, Any], report: str = "") -> str:
    """Return a page as one HTML document.

    Parameters
    ----------
    data
        Data that the page's script reads.
    report
        Sections of the report, as HTML.
    """
    script, style = _built("page.js"), _built("style.css")
    connects = "'self'" if data.get("token") else "'none'"
    policy = "; ".join(
        (
            "default-src 'none'",
            f"script-src '{_digest(script)}' 'wasm-unsafe-eval'",
            f"style-src '{_digest(style)}'",
            "img-src data: blob:",
            f"connect-src {connects}",
            "base-uri 'none'",
            "form-action 'none'",
        )
    )
    title = text_html(data["title"] or "A scenario")
    shown = f'<div id="report">{report}</div>' if report else ""
    return f"""<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<meta http-equiv="Content-Security-Policy" content="{policy}">
<meta name="referrer" content="no-referrer">
<title>{title}</title>
<link rel="icon" href="data:,">
<style>{style}</style>
</head>
<body>
<header><h1 dir="auto">{title}</h1>{data.pop("verdict", "")}</header>
<main>{shown}</main>
<noscript><p class="failed">The replay and the game need scripts to be allowed.</p></noscript>
<script type="application/json" id="flight-data">{json_in_html(data)}</script>
<script>{script}</script>
</body>
</html>
"""


def json_in_html(data: object) -> str:
    """Return data as JSON that no text in it can end: without any < or & or line separator."""
    text = json.dumps(data, ensure_ascii=True, separators=(",", ":"))
    return text.replace("<", "\\u003c").replace(">", "\\u003e").replace("&", "\\u0026")


def _built(name: str) -> str:
    return files("tinrocket.page").joinpath("built", name).read_text(encoding="utf-8").strip()


def _digest(text: str) -> str:
    return f"sha256-{base64.b64encode(hashlib.sha256(text.encode()).digest()).decode()}"
