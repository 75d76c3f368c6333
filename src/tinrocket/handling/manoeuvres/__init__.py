"""The standard manoeuvres, a file each; this is the order in which sheets tell them."""

from tinrocket.handling.manoeuvres.contact import CONTACT
from tinrocket.handling.manoeuvres.crossing import CROSSING
from tinrocket.handling.manoeuvres.dash import DASH
from tinrocket.handling.manoeuvres.eight_ways import EIGHT_WAYS
from tinrocket.handling.manoeuvres.flap import FLAP
from tinrocket.handling.manoeuvres.hop import HOP
from tinrocket.handling.manoeuvres.lift import LIFT
from tinrocket.handling.manoeuvres.nudge import NUDGE
from tinrocket.handling.manoeuvres.press import PRESS
from tinrocket.handling.manoeuvres.pursuit import PURSUIT
from tinrocket.handling.manoeuvres.rebound import REBOUND
from tinrocket.handling.manoeuvres.release import RELEASE
from tinrocket.handling.manoeuvres.reversal import REVERSAL
from tinrocket.handling.manoeuvres.shots import SHOTS
from tinrocket.handling.manoeuvres.steps import STEPS
from tinrocket.handling.manoeuvres.stick import STICK
from tinrocket.handling.manoeuvres.straight import STRAIGHT_RUN
from tinrocket.handling.manoeuvres.turn import TURN
from tinrocket.handling.manoeuvres.view import VIEW
from tinrocket.handling.metric import Manoeuvre

BUILT_IN: tuple[Manoeuvre, ...] = (
    STRAIGHT_RUN,
    RELEASE,
    NUDGE,
    TURN,
    STEPS,
    REVERSAL,
    CROSSING,
    STICK,
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
