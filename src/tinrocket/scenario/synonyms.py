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


NEEDS = {
    "a charge-up or cooldown that other rules wait for": "timer",
    "a constant speed along the heading": "cruise",
    "a craft that faces its target": "aim",
    "a craft that stops when it is slow": "stop_below",
    "a dodge of a fixed length": "dash",
    "a jump over the ground, seen from above": "hop",
    "a push while a key is held": "thrust",
    "a step of a fixed length at each press": "move_by",
    "a top speed": "limit",
    "a turn of a fixed angle at each press": "turn_by",
    "arithmetic of my own": "custom",
    "eight-way movement": "drive",
    "homing missiles": "chase",
    "positions that follow velocities": "move",
    "rising while a key is held": "lift",
    "shots": "fire",
    "slowing down without input": "drag",
    "smooth following": "ease",
    "turning that builds up and fades": "torque",
    "wings": "flap",
}
"""For each need, the rule that meets it; for the index of the reference."""


def rules_for(word: str) -> str | None:
    """Return the rules that do what a word means; None for a word that is not known."""
    plain = word.lower().replace("-", "_").replace(" ", "_")
    for form in (plain, plain.removesuffix("s"), plain.removesuffix("ing")):
        if form in RULES:
            return RULES[form]
    return None
