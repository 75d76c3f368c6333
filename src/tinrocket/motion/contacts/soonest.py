"""Tournament tree of near pairs: at each node the sooner of two impacts wins.

Its nodes are numbered from 1, the two below node n being 2n and 2n + 1; the places of the list are
its leaves, the first of them being node `tree_size`.
"""

from tinrocket.language.subset import kernel
from tinrocket.motion.contacts.impact import NEVER
from tinrocket.motion.world import World


@kernel
def sooner(world: World, one: int, other: int) -> int:
    """Return which of two places of the list meets sooner; -1 is an empty place.

    Among equals, touching pairs win, then the order of the pairs decides.
    """
    if one < 0 or other < 0:
        return max(one, other)
    contacts = world.contacts
    first, second = contacts.near[one], contacts.near[other]
    if first.moment != second.moment:
        return one if first.moment < second.moment else other
    touches = contacts.status[contacts.pairs[first.pair].group].touching
    touched = contacts.status[contacts.pairs[second.pair].group].touching
    if (touches != 0) != (touched != 0):
        return one if touches != 0 else other
    rank, later = contacts.pairs[first.pair].rank, contacts.pairs[second.pair].rank
    if rank != later:
        return one if rank < later else other
    return one if first.pair < second.pair else other


@kernel
def climb(world: World, place: int) -> None:
    """Update the winners above a place of the list after its moment has changed."""
    contacts = world.contacts
    tree, node = contacts.tree, contacts.tree_size + place
    for _ in range(64):
        node = int(0.5 * float(node))
        if node == 0:
            break
        tree[node] = sooner(world, child(world, 2 * node), child(world, 2 * node + 1))


@kernel
def child(world: World, node: int) -> int:
    """Return the winner at a node; a leaf is its own place of the list, if occupied."""
    contacts = world.contacts
    if node >= contacts.tree_size:
        place = node - contacts.tree_size
        return place if place < contacts.near_count else -1
    return contacts.tree[node]


@kernel
def grow(world: World) -> None:
    """Build a tree over the list, and compute the winner of every node."""
    contacts = world.contacts
    size = 1
    for _ in range(31):
        if size >= contacts.near_count:
            break
        size += size
    contacts.tree_size = size
    for below in range(size - 1):
        node = size - 1 - below
        contacts.tree[node] = sooner(world, child(world, 2 * node), child(world, 2 * node + 1))


@kernel
def plant(world: World, place: int) -> None:
    """Insert a place of the list, with its known moment, into the tree."""
    if place >= world.contacts.tree_size:
        grow(world)
    else:
        climb(world, place)


@kernel
def earliest(world: World) -> tuple[float, int]:
    """Return when the next pair meets, and its place in the list, or -1."""
    contacts = world.contacts
    if contacts.near_count == 0:
        return NEVER, -1
    first = child(world, 1)
    moment = contacts.near[first].moment
    return moment, first if moment < NEVER else -1
