"""Test whether a craft is in contact with bodies of a name."""

from tinrocket.language.subset import kernel
from tinrocket.motion.contacts.pairs import next_of, partner_of
from tinrocket.motion.contacts.tables import Touch
from tinrocket.motion.world import World


@kernel
def is_touching(world: World, touch: Touch, step: float) -> bool:
    """Return whether a contact with a body of a name lasts, or met in a step, counted from 1."""
    contacts = world.contacts
    listed = contacts.paths[touch.craft].first_pair
    for _ in range(contacts.pair_count):
        if listed == 0:
            break
        pair = contacts.pairs[listed - 1]
        role = contacts.traits[partner_of(pair, touch.craft)].role
        so = contacts.named[role * contacts.names + touch.name] != 0
        if so:
            for n in range(listed - 1, pair.past):
                status = contacts.status[n]
                if status.touching != 0 or (status.met == step and step > 0.0):
                    return True
        listed = next_of(pair, touch.craft)
    return False
