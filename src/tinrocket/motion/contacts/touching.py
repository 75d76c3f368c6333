"""Whether a craft is in contact with something."""

from tinrocket.kernel.subset import kernel
from tinrocket.motion.contacts.tables import Touch
from tinrocket.motion.world import World


@kernel
def is_touching(world: World, touch: Touch, step: float) -> bool:
    """Whether any of some pairs lasts, or met in a step that is counted from 1."""
    contacts = world.contacts
    for n in range(touch.first, touch.past):
        status = contacts.status[contacts.touch_groups[n]]
        if status.touching != 0 or (status.met == step and step > 0.0):
            return True
    return False
