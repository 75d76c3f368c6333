"""Words of the trade that are not names of rules, and the rules that do what they mean."""

RULES = {
    "acceleration": "thrust, drive or force",
    "boost": "dash or thrust",
    "brake": "drag, or drive with a 'brake'",
    "bullet": "fire",
    "clamp": "limit; at the arena's edges, an edge of kind 'clamp'",
    "current": "force",
    "damping": "drag",
    "dodge": "dash",
    "evade": "dash",
    "friction": "drag",
    "gravity": "fall or force",
    "home": "chase",
    "impulse": "flap, dash or move_by",
    "jump": "flap or hop",
    "lerp": "ease",
    "look_at": "aim",
    "max_speed": "limit",
    "motor": "thrust or cruise",
    "pursue": "chase",
    "rotation": "turn",
    "seek": "chase",
    "shoot": "fire",
    "smooth": "ease",
    "speed": "cruise or limit",
    "spin": "torque and rotate",
    "steer": "turn or torque",
    "track": "follow or aim",
    "velocity": "move, cruise or force",
    "walk": "drive",
    "wind": "force",
    "wrap": "none: give the arena an edge of kind 'wrap'",
    "bounce": "none: give the arena an edge of kind 'bounce', or add a [[contact]]",
}
"""For each word, the rules to use instead."""


def rules_for(word: str) -> str | None:
    """Return the rules that do what a word means; None for a word that is not known."""
    plain = word.lower().replace("-", "_").replace(" ", "_")
    for form in (plain, plain.removesuffix("s"), plain.removesuffix("ing")):
        if form in RULES:
            return RULES[form]
    return None
