"""Old names, and the new names to write instead."""

from collections.abc import Collection

RENAMED = {
    "bat_share": "velocity_transfer",
    "blend": "interpolate",
    "by_place": "by_offset",
    "fan": "spread",
    "faster": "speed_factor",
    "find": "detection",
    "hard_above": "hard_hit_speed",
    "held": "clamps",
    "kick": "random_angle",
    "lively": "allow_gain",
    "most_steps": "max_steps_per_frame",
    "of": "lives_of",
    "keeps_speed": "keeps_velocity",
    "max_step": "substep",
    "max_steps": "max_steps_per_frame",
    "onto": "snap",
    "outer": "full_at",
    "over": "at_end",
    "part": "substep",
    "piece_velocity": "piece_speed",
    "pivot": "turn_by",
    "requests": "input",
    "safe": "invulnerable",
    "saturation": "full_at",
    "scaled": "dt",
    "share": "fraction",
    "share_at": "fraction_at",
    "shown": "display",
    "sides_act": "edges_act",
    "snap": "stop_below",
    "step_rate": "fixed_rate",
    "stride": "move_by",
    "surplus": "backlog",
    "top": "max_speed",
    "view": "camera",
}

METRICS = {
    "100 ms press": "100 ms press: distance",
    "50 ms press": "50 ms press: distance",
    "90 % of a pointer's jump": "pointer step response (90 %)",
    "catch of a 1 s fall": "recovery from a 1 s fall",
    "circle of the pursued": "target's turn radius",
    "circle of the pursuer": "pursuer's turn radius",
    "diagonal over straight": "diagonal speed ratio",
    "held to keep height": "hover duty cycle",
    "live at once": "most shots alive",
    "one-frame tap": "one-frame tap: distance",
    "speed of 100 ms": "100 ms press: peak speed",
    "speed of 50 ms": "50 ms press: peak speed",
    "speed of a tap": "one-frame tap: peak speed",
    "time until the next": "dash interval",
    "way of the diagonal": "diagonal direction",
}
"""New names of feel metrics by old ones."""

CHECKS = {"nobody-presses": "never-pressed"}
"""New names of checks by old ones."""


def renamed(name: str, valid: Collection[str]) -> str | None:
    """Return the new name of an old one, if it is valid at that place."""
    now = RENAMED.get(name)
    return now if now in valid else None
