"""Words of the trade that are not names of rules, and the rules for them."""

RULES = {
    "acceleration": "thrust, drive or force",
    "boost": "dash or thrust",
    "brake": "friction with an 'action', drag, or drive with a 'brake'",
    "bullet": "fire",
    "clamp": "limit; at the arena's edges, an edge of kind 'clamp'",
    "current": "force",
    "damping": "drag",
    "dodge": "dash",
    "evade": "dash",
    "energy": "gain, with 'resources' of the craft",
    "fuel": "gain, with 'resources' of the craft",
    "grip": "drag or friction with axis = 'across'",
    "gravity": "fall or force",
    "hitstop": "none: add a [[tempo]]",
    "home": "chase",
    "impulse": "flap, dash or move_by",
    "jump": "flap or hop",
    "lerp": "ease",
    "look_at": "aim",
    "max_speed": "limit",
    "motor": "thrust or cruise",
    "oscillate": "swing",
    "pause": "none: add a [[tempo]]",
    "platform": "path or swing",
    "pursue": "chase",
    "rope": "spring with 'pulls_only'",
    "rotation": "turn",
    "seek": "chase",
    "shoot": "fire",
    "smooth": "ease",
    "speed": "cruise or limit",
    "spin": "torque and rotate",
    "stamina": "gain, with 'resources' of the craft",
    "steer": "turn or torque",
    "strafe": "thrust with a 'direction'",
    "tether": "spring with a 'length'",
    "toggle": "latch",
    "track": "follow or aim",
    "tween": "path",
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
    "a craft that goes along given points": "path",
    "a craft that stops when it is slow": "stop_below",
    "a dodge of a fixed length": "dash",
    "a fixed deceleration": "friction",
    "a jump over the ground, seen from above": "hop",
    "a mode that one key turns on and another off": "latch",
    "a mover to and fro": "swing",
    "a push while a key is held": "thrust",
    "a rope, a hook or a sprung follower": "spring",
    "a step of a fixed length at each press": "move_by",
    "a top speed": "limit",
    "a turn of a fixed angle at each press": "turn_by",
    "arithmetic of my own": "custom",
    "eight-way movement": "drive",
    "fuel, heat, stamina or a charge": "gain",
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
    """Return the rules for a word; None for an unknown word."""
    plain = word.lower().replace("-", "_").replace(" ", "_")
    for form in (plain, plain.removesuffix("s"), plain.removesuffix("ing")):
        if form in RULES:
            return RULES[form]
    return None
