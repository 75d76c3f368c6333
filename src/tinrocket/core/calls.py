"""What the loop calls by its address: compiled only for the programs that need it."""

from typing import NamedTuple

from tinrocket.core.contacts.meetings import Meet
from tinrocket.core.custom import Custom
from tinrocket.core.rules.seldom import Seldom


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
    """

    custom: Custom
    seldom: Seldom
    meet: Meet
