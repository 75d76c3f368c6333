"""The closed form of a whole craft: turn, thrust, linear drag and constant acceleration.

With the heading h0 + w t and the acceleration a along it, drag r and a force g, the velocity
obeys dv/dt = -r v + a (cos h, sin h) + g.  Written with complex numbers, and with E = exp(-r t):

    v(t) = v0 E + g t phi(-r t) + a e^(i h0) t exp[-r t, i w t]
    p(t) = p0 + v0 t phi(-r t) + g t^2 exp[0, 0, -r t] + a e^(i h0) t^2 exp[0, -r t, i w t]

where phi(z) = exp[0, z] and exp[...] are divided differences of the exponential, which
stay smooth where r, w or both vanish.  (McCurdy, Ng and Parlett, "Accurate Computation of
Divided Differences of the Exponential Function", 1984.)
"""

from tinrocket.language.maths import exp, sin, sincos
from tinrocket.language.records import Record
from tinrocket.language.subset import kernel
from tinrocket.motion.body import Body

NEAR = 1.0
"""Argument below which the power series is used: 20 terms reach the last digit."""
TERMS = 20


class Gathered(Record):
    """Memory: sums over the rules of a craft since its last move."""

    omega: float  # rad per unit of time
    push: float  # acceleration along the heading
    resist: float  # drag, per unit of time
    force_x: float
    force_y: float
    kept: float  # share of the velocity that drag kept in the last move


@kernel
def drag_differences(decay: float) -> tuple[float, float, float]:
    """Return exp(a), exp[0, a] and exp[0, 0, a] for a = -decay."""
    a = -decay
    kept = exp(a)
    if decay >= NEAR:
        first = (kept - 1.0) / a
        return kept, first, (first - 1.0) / a
    # exp[0, a] is the sum of a^k / (k + 1)!, exp[0, 0, a] that of a^k / (k + 2)!
    first, second, power, over = 0.0, 0.0, 1.0, 1.0
    for k in range(TERMS):
        over /= float(k) + 1.0
        first += power * over
        second += power * over / (float(k) + 2.0)
        power *= a
    return kept, first, second


@kernel
def turn_differences(
    decay: float, b: float, kept: float, first: float
) -> tuple[float, float, float, float]:
    """Return exp[a, i b] and exp[0, a, i b] for a = -decay, each real and imaginary."""
    a = -decay
    if decay < NEAR and abs(b) < NEAR:
        # h_k = a h_(k-1) + (i b)^k is the complete homogeneous polynomial of degree k
        pair_re, pair_im, triple_re, triple_im = 0.0, 0.0, 0.0, 0.0
        h_re, h_im, b_re, b_im, over = 1.0, 0.0, 1.0, 0.0, 1.0
        for k in range(TERMS):
            over /= float(k) + 1.0
            pair_re += h_re * over
            pair_im += h_im * over
            triple_re += h_re * over / (float(k) + 2.0)
            triple_im += h_im * over / (float(k) + 2.0)
            b_re, b_im = -b_im * b, b_re * b
            h_re, h_im = a * h_re + b_re, a * h_im + b_im
        return pair_re, pair_im, triple_re, triple_im
    # exp[a, c] = (e^c - e^a) / (c - a), exp[0, a, c] = (exp[0, c] - exp[0, a]) / (c - a), c = i b
    size = a * a + b * b
    cos_b, sin_b = sincos(b)
    over_re, over_im = -a / size, -b / size
    re, im = cos_b - kept, sin_b
    pair_re, pair_im = re * over_re - im * over_im, re * over_im + im * over_re
    if abs(b) < 1e-4:  # (e^c - 1) / c, without the difference that loses digits
        re, im = 1.0 - b * b / 6.0 - first, b / 2.0 - b * b * b / 24.0
    else:
        half = sin(0.5 * b)
        re, im = sin_b / b - first, 2.0 * half * half / b
    triple_re, triple_im = re * over_re - im * over_im, re * over_im + im * over_re
    return pair_re, pair_im, triple_re, triple_im


@kernel
def move_closed(body: Body, gathered: Gathered, dt: float) -> None:
    """Fly for `dt` at the gathered rates, and reset them."""
    kept, first, second = drag_differences(gathered.resist * dt)
    pair_re, pair_im, triple_re, triple_im = turn_differences(
        gathered.resist * dt, gathered.omega * dt, kept, first
    )
    cos_h, sin_h = sincos(body.heading)
    square = dt * dt
    push, force_x, force_y = gathered.push, gathered.force_x, gathered.force_y
    body.x += body.vx * dt * first + force_x * square * second
    body.y += body.vy * dt * first + force_y * square * second
    body.x += push * square * (cos_h * triple_re - sin_h * triple_im)
    body.y += push * square * (cos_h * triple_im + sin_h * triple_re)
    body.vx = body.vx * kept + force_x * dt * first
    body.vx += push * dt * (cos_h * pair_re - sin_h * pair_im)
    body.vy = body.vy * kept + force_y * dt * first
    body.vy += push * dt * (cos_h * pair_im + sin_h * pair_re)
    body.heading += gathered.omega * dt
    gathered.kept = kept
    gathered.omega = 0.0
    gathered.push = 0.0
    gathered.resist = 0.0
    gathered.force_x = 0.0
    gathered.force_y = 0.0
