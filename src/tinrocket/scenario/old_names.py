"""Names that were others before: what to write instead of them."""

from collections.abc import Collection

RENAMED = {
    "bat_share": "velocity_transfer",
    "blend": "interpolate",
    "by_place": "by_offset",
    "fan": "spread",
    "faster": "speed_factor",
    "find": "detection",
    "hard_above": "hard_hit_speed",
    "kick": "random_angle",
    "lively": "allow_gain",
    "most_steps": "max_steps",
    "of": "lives_of",
    "outer": "saturation",
    "over": "at_end",
    "part": "max_step",
    "pivot": "turn_by",
    "safe": "invulnerable",
    "scaled": "dt",
    "share": "fraction",
    "share_at": "fraction_at",
    "snap": "stop_below",
    "stride": "move_by",
    "surplus": "backlog",
    "top": "max_speed",
}


def renamed(name: str, valid: Collection[str]) -> str | None:
    """Return what a name is called now, if that is valid where it stands."""
    now = RENAMED.get(name)
    return now if now in valid else None
