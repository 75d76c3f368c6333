"""What the loop calls by its address: compiled only for the programs that need it."""

from typing import NamedTuple

from tinrocket.core.contacts.meetings import Meet
from tinrocket.core.custom import Custom
from tinrocket.core.rules.seldom import Seldom
from tinrocket.core.stage.staging import Conduct


class Calls(NamedTuple):
    """A function each.

    Attributes
    ----------
    custom
        Calls the user's rules.
    seldom
        Calls the rules that few programs need.
    meet
        Works out the contacts of a step.
    conduct
        Works out who enters and leaves, and whether a round is over.
    """

    custom: Custom
    seldom: Seldom
    meet: Meet
    conduct: Conduct
