"""One self-contained HTML page that reports, replays, plays and tunes a scenario, offline."""
