"""Impacts of bodies and edges within a step, in order of time."""

from typing import Final

from tinrocket.language.subset import kernel
from tinrocket.motion.contacts.handle import handle_contact
from tinrocket.motion.contacts.impact import NEVER
from tinrocket.motion.contacts.losing import foresee_losses, lose_support, slide_off
from tinrocket.motion.contacts.near import PARTS, foresee, gather_near, renew
from tinrocket.motion.contacts.paths import advance, span
from tinrocket.motion.contacts.rest import rest, settle_heap
from tinrocket.motion.contacts.soonest import earliest, grow
from tinrocket.motion.contacts.squeeze import count_meeting, is_restless, remember_impact
from tinrocket.motion.contacts.tables import BLOCK, BOUNCE, LEANING, SPLIT
from tinrocket.motion.contacts.walls import foresee_side, meet_side
from tinrocket.motion.events import CONTACT, note, place
from tinrocket.motion.sides import BOUNCE as THROWS_BACK
from tinrocket.motion.world import World

MAX_IMPACTS: Final = 100_000_000
"""More impacts than can happen before all bodies are frozen."""
EACH: Final = 1.0
"""Impacts per craft between two runs of the rest solver, which is expensive."""


@kernel
def go_on(world: World, body: int) -> None:
    """Recompute the next impacts of a body that has met something."""
    if body < world.crafts:
        path = world.contacts.paths[body]
        span(path)
        foresee_side(world.bodies[body], path)
    renew(world, body)


@kernel
def prepare(world: World) -> None:
    """Compute the next impacts of all near pairs, and support resting bodies."""
    contacts = world.contacts
    gather_near(world)
    contacts.meetings = 0
    contacts.calmed = 0
    for place_ in range(contacts.near_count):
        foresee(world, contacts.near[place_])
    grow(world)
    if contacts.pushed != 0 and rest(world):
        foresee_losses(world)
        for n in range(world.crafts):
            if contacts.paths[n].moved != 0:
                go_on(world, n)
        for place_ in range(contacts.near_count):
            near = contacts.near[place_]
            pair = contacts.pairs[near.pair]
            status = contacts.status[pair.group]
            bears = near.rests != 0 and near.load > 0.0 and status.touching == 0
            if bears and near.gap > PARTS:
                status.touching = LEANING
            elif bears:
                status.touching = 1
                path = contacts.paths[pair.one]
                event = note(world, CONTACT, pair.one, pair.contact)
                place(event, 0.0, 1.0, path.x, path.y, 0.0)
                event.other = pair.other
                event.gap = float(near.pair)
    for n in range(world.crafts):
        path = contacts.paths[n]
        if path.crossed != 0 or path.moved != 0:
            foresee_side(world.bodies[n], path)


@kernel
def next_alone(world: World) -> tuple[float, int]:
    """Return when a craft next meets an edge or loses its support, and which craft, or -1."""
    best, first = NEVER, -1
    for n in range(world.crafts):
        path = world.contacts.paths[n]
        moment = min(path.side_at, path.loses_at)
        if moment < best:
            best, first = moment, n
    return best, first


@kernel
def let_those_fall(world: World) -> None:
    """Recompute the paths of all bodies that have lost their support."""
    for n in range(world.crafts):
        if world.contacts.paths[n].falls == 1:
            world.contacts.paths[n].falls = 2
            go_on(world, n)


@kernel
def meet_pair(world: World, listed: int) -> None:
    """Move a pair to where it touches, and apply its response."""
    contacts = world.contacts
    near = contacts.near[listed]
    pair = contacts.pairs[near.pair]
    moment = near.moment
    advance(world, pair.one, moment)
    if pair.other < world.crafts:
        advance(world, pair.other, moment)
    if near.anew != 0:
        contacts.status[pair.group].touching = 0
    handle_contact(world, near.pair, near.normal_x, near.normal_y, near.gap)
    remember_impact(world, pair)
    contact = contacts.contacts[pair.contact]
    gives_back = contact.response == BOUNCE and contact.restitution >= 1.0
    count_meeting(world, pair.one, pair.other, gives_back)
    count_meeting(world, pair.other, pair.one, gives_back)
    contacts.meetings += 1
    restless = is_restless(world, pair.one) or is_restless(world, pair.other)
    since = float(contacts.meetings - contacts.calmed)
    if restless and not gives_back and since >= EACH * float(world.crafts):
        settle_heap(world, moment)
        contacts.calmed = contacts.meetings
        for n in range(world.crafts):
            if contacts.paths[n].moved != 0:
                go_on(world, n)
    go_on(world, pair.one)
    if contacts.pushed != 0:
        lost = lose_support(world, pair.one, moment)
        if lose_support(world, pair.other, moment) or lost:
            let_those_fall(world)
    throws = contact.response == BOUNCE or contact.response == BLOCK
    if not throws or pair.give_other > 0.0 or contacts.paths[pair.other].stuck != 0:
        go_on(world, pair.other)
    if contact.response == SPLIT:
        for n in range(contact.pool, contact.pool + contact.pool_size):
            if world.bodies[n].alive != 0.0:
                go_on(world, n)


@kernel
def sequence(world: World) -> None:
    """Resolve swept pairs and edges, the earliest first; at equal times, bodies before edges."""
    prepare(world)
    for _ in range(MAX_IMPACTS):
        moment, listed = earliest(world)
        alone_at, craft = next_alone(world)
        if listed < 0 and craft < 0:
            break
        if listed >= 0 and moment <= alone_at:
            meet_pair(world, listed)
        elif world.contacts.paths[craft].loses_at <= alone_at:
            slide_off(world, craft)
            let_those_fall(world)
        else:
            meet_side(world, craft)
            wall = world.bodies[craft].walls[world.contacts.paths[craft].side]
            elastic = wall.kind == THROWS_BACK and wall.restitution >= 1.0
            count_meeting(world, craft, -1, elastic)
            go_on(world, craft)
