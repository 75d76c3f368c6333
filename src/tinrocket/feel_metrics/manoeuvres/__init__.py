"""The standard manoeuvres, a file each; in the order of the sheet."""

from tinrocket.feel_metrics.manoeuvres.contact import CONTACT
from tinrocket.feel_metrics.manoeuvres.crossing import CROSSING
from tinrocket.feel_metrics.manoeuvres.dash import DASH
from tinrocket.feel_metrics.manoeuvres.eight_ways import EIGHT_WAYS
from tinrocket.feel_metrics.manoeuvres.flap import FLAP
from tinrocket.feel_metrics.manoeuvres.hop import HOP
from tinrocket.feel_metrics.manoeuvres.lift import LIFT
from tinrocket.feel_metrics.manoeuvres.nudge import NUDGE
from tinrocket.feel_metrics.manoeuvres.press import PRESS
from tinrocket.feel_metrics.manoeuvres.pursuit import PURSUIT
from tinrocket.feel_metrics.manoeuvres.rebound import REBOUND
from tinrocket.feel_metrics.manoeuvres.release import RELEASE
from tinrocket.feel_metrics.manoeuvres.resource import RESOURCE_METRICS
from tinrocket.feel_metrics.manoeuvres.reversal import REVERSAL
from tinrocket.feel_metrics.manoeuvres.shots import SHOTS
from tinrocket.feel_metrics.manoeuvres.spring import SPRING
from tinrocket.feel_metrics.manoeuvres.steps import STEPS
from tinrocket.feel_metrics.manoeuvres.stick import STICK
from tinrocket.feel_metrics.manoeuvres.straight import STRAIGHT_RUN
from tinrocket.feel_metrics.manoeuvres.turn import TURN
from tinrocket.feel_metrics.manoeuvres.view import VIEW
from tinrocket.feel_metrics.metric import Manoeuvre

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
    RESOURCE_METRICS,
    SPRING,
    SHOTS,
    REBOUND,
    PURSUIT,
    VIEW,
    PRESS,
    CONTACT,
)
