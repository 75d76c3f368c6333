"""The standard manoeuvres, a file each; this is the order in which sheets tell them."""

from tinrocket.feel.manoeuvres.contact import CONTACT
from tinrocket.feel.manoeuvres.dash import DASH
from tinrocket.feel.manoeuvres.eight_ways import EIGHT_WAYS
from tinrocket.feel.manoeuvres.flap import FLAP
from tinrocket.feel.manoeuvres.hop import HOP
from tinrocket.feel.manoeuvres.lift import LIFT
from tinrocket.feel.manoeuvres.nudge import NUDGE
from tinrocket.feel.manoeuvres.press import PRESS
from tinrocket.feel.manoeuvres.pursuit import PURSUIT
from tinrocket.feel.manoeuvres.rebound import REBOUND
from tinrocket.feel.manoeuvres.release import RELEASE
from tinrocket.feel.manoeuvres.reversal import REVERSAL
from tinrocket.feel.manoeuvres.shots import SHOTS
from tinrocket.feel.manoeuvres.straight import STRAIGHT_RUN
from tinrocket.feel.manoeuvres.turn import TURN
from tinrocket.feel.manoeuvres.view import VIEW
from tinrocket.feel.metric import Manoeuvre

BUILT_IN: tuple[Manoeuvre, ...] = (
    STRAIGHT_RUN,
    RELEASE,
    NUDGE,
    TURN,
    REVERSAL,
    EIGHT_WAYS,
    FLAP,
    HOP,
    LIFT,
    DASH,
    SHOTS,
    REBOUND,
    PURSUIT,
    VIEW,
    PRESS,
    CONTACT,
)
