"""Rows of pairs, for bodies that are close or have a state to remember.

All rows of two bodies are adjacent, a row for each contact and for each two of their parts.
"""

from typing import Final

from tinrocket.language.intrinsics import copy_cells
from tinrocket.language.subset import kernel
from tinrocket.motion.contacts.images import has_images, image_of, shift_of
from tinrocket.motion.contacts.tables import Box, Pair, RestState, Status
from tinrocket.motion.world import World

PAIR: Final = Pair.size
STATUS: Final = Status.size
HOLD: Final = RestState.size
CLOSE: Final = 1e-6
"""Margin of boxes around bodies, so that rounding hides no contact [px]."""
FEW: Final = 16
"""Number of pairs of two bodies from which these are kept while the bodies are close."""
AFAR: Final = 2e-6
"""Extra search margin: absorbs the rounding between the two ways extents are summed [px]."""


@kernel
def partner_of(pair: Pair, body: int) -> int:
    """Return the other body of a pair."""
    return pair.other if pair.one == body else pair.one


@kernel
def next_of(pair: Pair, body: int) -> int:
    """Return the first pair of a body with its next one, from 1; 0 if there is none."""
    return pair.next_one if pair.one == body else pair.next_other


@kernel
def link_to(world: World, body: int, block: int) -> None:
    """Insert all pairs of two bodies into the list of one, in order."""
    contacts, pairs = world.contacts, world.contacts.pairs
    before, after = -1, contacts.paths[body].first_pair
    for _ in range(contacts.pair_room):
        later = after == 0 or body >= world.crafts  # order is irrelevant for still bodies
        if later or pairs[after - 1].rank > pairs[block].rank:
            break
        before = after - 1
        after = next_of(pairs[before], body)
    if before < 0:
        contacts.paths[body].first_pair = block + 1
    elif pairs[before].one == body:
        pairs[before].next_one = block + 1
    else:
        pairs[before].next_other = block + 1
    if pairs[block].one == body:
        pairs[block].next_one = after
    else:
        pairs[block].next_other = after


@kernel
def link(world: World, block: int) -> None:
    """Insert all pairs of two bodies into the lists of both."""
    pair = world.contacts.pairs[block]
    link_to(world, pair.one, block)
    link_to(world, pair.other, block)


@kernel
def past_group(world: World, group: int) -> int:
    """Return the pair behind the last of two bodies and one contact."""
    contacts, past = world.contacts, group
    for n in range(group, contacts.pair_count):
        if contacts.pairs[n].group != group:
            break
        past = n + 1
    return past


@kernel
def put_in_order(world: World, since: int) -> None:
    """Sort the pairs that were listed last into the order."""
    contacts, order = world.contacts, world.contacts.order
    for group in range(since, contacts.pair_count):
        if contacts.pairs[group].group == group:
            past, place = past_group(world, group), group
            for _ in range(group):
                if contacts.pairs[order[place - 1]].rank <= contacts.pairs[group].rank:
                    break
                order[place - 1 + past - group] = order[place - 1]
                place -= 1
            for n in range(group, past):
                order[place + n - group] = n


@kernel
def mark_partners(world: World, body: int, mark: int) -> None:
    """Mark all bodies with which a body has pairs, or unmark them."""
    contacts = world.contacts
    listed = contacts.paths[body].first_pair
    for _ in range(contacts.pair_count):
        if listed == 0:
            break
        pair = contacts.pairs[listed - 1]
        contacts.paths[partner_of(pair, body)].mark = mark
        listed = next_of(pair, body)


@kernel
def gives(world: World, one: int, other: int, mutual: int) -> tuple[float, float]:
    """Return 1 / mass of the two of a pair, 0 for a body that no hit of the other moves.

    Without a mass of its own, a responding body weighs 1, and the other one is not moved.
    """
    first, second = world.contacts.traits[one].weight, world.contacts.traits[other].weight
    if first < 0.0:
        first = 1.0
    if second < 0.0:
        second = 1.0 if mutual != 0 else 0.0
    return first, second


@kernel
def laws_between(world: World, low: int, high: int) -> tuple[int, int]:
    """Return the index of the first contact rule of two bodies, and that behind their last."""
    contacts = world.contacts
    roles = contacts.traits[low].role * contacts.roles + contacts.traits[high].role
    return contacts.law_first[roles], contacts.law_first[roles + 1]


@kernel
def add_pairs(world: World, low: int, high: int, image_x: float, image_y: float) -> None:
    """List all pairs of two bodies, the one that is listed first before the other.

    The image is that of the second.
    """
    contacts = world.contacts
    first, past = laws_between(world, low, high)
    block, bodies = contacts.pair_count, float(contacts.body_count)
    lows, highs = contacts.traits[low], contacts.traits[high]
    rows = (past - first) * (lows.past - lows.first) * (highs.past - highs.first)
    if block + rows > contacts.pair_room:
        contacts.full = 1
        return
    for n in range(first, past):
        law = contacts.laws[n]
        one, other = low, high
        if law.swapped != 0:
            one, other = high, low
        give_one, give_other = gives(world, one, other, law.mutual)
        group = contacts.pair_count
        ones, others = contacts.traits[one], contacts.traits[other]
        for part_one in range(ones.first, ones.past):
            for part_other in range(others.first, others.past):
                row = contacts.pair_count
                contacts.pair_count += 1
                pair, mine = contacts.pairs[row], contacts.parts[part_one]
                wall = contacts.parts[part_other]
                pair.one = one
                pair.other = other
                pair.give_one = give_one
                pair.give_other = give_other
                pair.contact = law.contact
                pair.part_one = part_one
                pair.part_other = part_other
                pair.group = group
                pair.image_x = image_x if one == low else -image_x
                pair.image_y = image_y if one == low else -image_y
                pair.alone = 0
                if ones.past - ones.first == 1 and others.past - others.first == 1:
                    pair.alone = 1
                pair.apart_x = mine.extent_x + wall.extent_x + CLOSE
                pair.apart_y = mine.extent_y + wall.extent_y + CLOSE
                pair.rank = (float(law.contact) * bodies + float(one)) * bodies + float(other)
                status, hold = contacts.status[row], contacts.holds[row]
                status.touching = 0
                status.seen = 0
                status.near = 0
                status.squeezed = 0
                status.met = 0.0
                hold.squeezed_x = 0.0
                hold.squeezed_y = 0.0
                hold.load = 0.0
                hold.load_of_way = 0.0
    contacts.pairs[block].past = contacts.pair_count
    link(world, block)


@kernel
def room_of(world: World, body: int) -> tuple[float, float]:
    """Return the largest distance from its place that a part of a body reaches in this step."""
    path, traits = world.contacts.paths[body], world.contacts.traits[body]
    return path.room_x + traits.extent_x, path.room_y + traits.extent_y


@kernel
def may_enter(world: World, body: int, x: float, y: float, far_x: float, far_y: float) -> bool:
    """Return whether a body is present and may come into a box in this step."""
    path = world.contacts.paths[body]
    room_x, room_y = room_of(world, body)
    near_x = abs(x - path.home_x) <= far_x + room_x + AFAR
    return path.there != 0 and near_x and abs(y - path.home_y) <= far_y + room_y + AFAR


@kernel
def is_listed(world: World, low: int, high: int, image_x: float, image_y: float) -> bool:
    """Return whether the pairs of two bodies and an image of the second are listed."""
    contacts = world.contacts
    listed = contacts.paths[low].first_pair
    for _ in range(contacts.pair_count):
        if listed == 0:
            break
        pair = contacts.pairs[listed - 1]
        turned = 1.0 if pair.one == low else -1.0
        alike = pair.image_x * turned == image_x and pair.image_y * turned == image_y
        if partner_of(pair, low) == high and alike:
            return True
        listed = next_of(pair, low)
    return False


@kernel
def consider(world: World, body: int, other: int, box: Box) -> None:
    """List the pairs of a body with another that may come into its box, unless they are listed.

    An unmarked one has no pairs with the body.
    """
    contacts = world.contacts
    path = contacts.paths[other]
    listed = path.mark != 0 and contacts.images == 0
    if listed or other == body or not may_enter(world, other, box.x, box.y, box.far_x, box.far_y):
        return
    low, high = min(body, other), max(body, other)
    first, past = laws_between(world, low, high)
    if first >= past:
        return
    image_x, image_y = 0.0, 0.0
    if contacts.images != 0:
        if not has_images(world, body, other, box.across, box.down):
            return
        turned = 1.0 if body == low else -1.0
        image_x, image_y = image_of(world, low, high, turned * box.across, turned * box.down)
        if path.mark != 0 and is_listed(world, low, high, image_x, image_y):
            return
    path.mark = 1
    add_pairs(world, low, high, image_x, image_y)


@kernel
def is_known(world: World, row: int) -> bool:
    """Return whether a pair has a state to remember."""
    status, hold = world.contacts.status[row], world.contacts.holds[row]
    rests = hold.load != 0.0 or hold.load_of_way != 0.0
    return status.touching != 0 or status.squeezed != 0 or rests


@kernel
def is_worth_keeping(world: World, block: int) -> bool:
    """Return whether two bodies have so many pairs that these are kept while they are close."""
    pair = world.contacts.pairs[block]
    one = world.contacts.paths[pair.one]
    if pair.past - block <= FEW or one.there == 0:
        return False
    far_x, far_y = room_of(world, pair.one)
    sx, sy = shift_of(world, pair)
    return may_enter(world, pair.other, one.home_x - sx, one.home_y - sy, far_x, far_y)


@kernel
def keep_known(world: World) -> None:
    """Delete the rows of bodies without a state to remember, and compact the table."""
    contacts, pairs = world.contacts, world.contacts.pairs
    count, held, block = contacts.pair_count, 0, 0
    for _ in range(count):
        if block >= count:
            break
        contacts.paths[pairs[block].one].first_pair = 0
        contacts.paths[pairs[block].other].first_pair = 0
        block = pairs[block].past
    contacts.pair_count = 0
    block = 0
    for _ in range(count):
        if block >= count:
            break
        past, known, up = pairs[block].past, is_worth_keeping(world, block), block - held
        for n in range(block, past):
            known = known or is_known(world, n)
        if known:
            for n in range(block, past):
                if up > 0:
                    copy_cells(pairs[held], pairs[n], PAIR)
                    copy_cells(contacts.status[held], contacts.status[n], STATUS)
                    copy_cells(contacts.holds[held], contacts.holds[n], HOLD)
                    pairs[held].group -= up
                contacts.status[held].near = 0
                held += 1
            pairs[block - up].past = past - up
            contacts.pair_count = held
            link(world, block - up)
        block = past


@kernel
def sort_pairs(world: World) -> None:
    """Sort the pairs into the order of processing: bottom-up merge sort.

    Only the first pair of two bodies and a contact is sorted; their others follow it.
    """
    contacts, pairs = world.contacts, world.contacts.pairs
    order, other = contacts.order, contacts.sorted
    count, rising = 0, True
    for n in range(contacts.pair_count):
        order[n] = n
        if pairs[n].group == n:
            if count > 0 and pairs[n].rank < pairs[other[count - 1]].rank:
                rising = False
            other[count] = n
            count += 1
    if rising:
        return
    width = 1
    for _ in range(31):
        for n in range(count):
            order[n] = other[n]
        if width >= count:
            break
        begin = 0
        for _pass in range(count):
            if begin >= count:
                break
            middle, end = min(begin + width, count), min(begin + 2 * width, count)
            left, right = begin, middle
            for n in range(begin, end):
                take_left = right >= end
                if left < middle and right < end:
                    take_left = pairs[order[left]].rank <= pairs[order[right]].rank
                if take_left:
                    other[n] = order[left]
                    left += 1
                else:
                    other[n] = order[right]
                    right += 1
            begin = end
        width += width
    place = 0
    for n in range(count):
        for row in range(other[n], past_group(world, other[n])):
            order[place] = row
            place += 1
