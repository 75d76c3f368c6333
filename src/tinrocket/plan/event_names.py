"""What kinds of events are called."""

from tinrocket.motion import events as kinds

STAGE_KINDS = {
    kinds.EXPIRE: "expire",
    kinds.ENTER: "enter",
    kinds.CROWDED: "spawn_blocked",
    kinds.NO_ROOM: "pool_empty",
    kinds.RESPAWN: "respawn",
    kinds.REVERSE: "march_turn",
    kinds.STRIDE: "march_step",
    kinds.LIFE: "life_lost",
    kinds.ROUND: "round",
    kinds.OVER: "over",
    kinds.SQUEEZE: "squeeze",
    kinds.RESTART: "restart",
}
"""Of the stage, and of bodies that have nowhere to go."""
CONTACT_KINDS = {"remove": "hit", "count": "pass"}
"""Of contacts whose event is not called as their response."""
OTHER_KINDS = (
    *STAGE_KINDS.items(),
    (kinds.NO_ROOM_FOR_RULE, "pool_empty"),
    (kinds.HARD_CONTACT, "hard_hit"),
    (kinds.PARTED, "separation"),
)
"""All that go by one name, whatever their cause."""
