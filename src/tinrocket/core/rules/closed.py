"""The closed form of a whole craft: turn, thrust, linear drag and constant acceleration.

With the heading h0 + w t and the acceleration a along it, drag r and a force g, the velocity
obeys dv/dt = -r v + a (cos h, sin h) + g.  Written with complex numbers, and with E = exp(-r t):

    v(t) = v0 E + g t phi(-r t) + a e^(i h0) t exp[-r t, i w t]
    p(t) = p0 + v0 t phi(-r t) + g t^2 exp[0, 0, -r t] + a e^(i h0) t^2 exp[0, -r t, i w t]

where phi(z) = exp[0, z] and exp[...] are divided differences of the exponential, which
stay smooth where r, w or both vanish.  (McCurdy, Ng and Parlett, "Accurate Computation of
Divided Differences of the Exponential Function", 1984.)  Real and imaginary parts are
written out, because the division of complex numbers is not the same to the bit in every
interpreter.
"""

import math

from tinrocket.core.jit import outlined

# Memory: what has been gathered since the last move
OMEGA, PUSH, RESIST, FORCE_X, FORCE_Y = range(5)
GATHERED = 5

NEAR = 1.0
"""Below this the power series is used: 20 terms reach the last digit."""
TERMS = 20


@outlined
def differences(
    decay: float, turn: float
) -> tuple[float, float, float, float, float, float, float]:
    """Divided differences of exp that a step needs, for a = -decay (real), b = i turn.

    Returns
    -------
    exp(a); exp[0, a]; exp[0, 0, a]; exp[a, b] and exp[0, a, b], each real and imaginary.
    """
    a, b = -decay, turn
    kept = math.exp(a)
    if decay < NEAR:
        # exp[0, a] is the sum of a^k / (k + 1)!, exp[0, 0, a] that of a^k / (k + 2)!
        first, second, power, over = 0.0, 0.0, 1.0, 1.0
        for k in range(TERMS):
            over /= k + 1.0
            first += power * over
            second += power * over / (k + 2.0)
            power *= a
    else:
        first = (kept - 1.0) / a
        second = (first - 1.0) / a
    if decay < NEAR and abs(turn) < NEAR:
        # h_k = a h_(k-1) + b^k is the complete homogeneous polynomial of degree k
        pair_re, pair_im, triple_re, triple_im = 0.0, 0.0, 0.0, 0.0
        h_re, h_im, b_re, b_im, over = 1.0, 0.0, 1.0, 0.0, 1.0
        for k in range(TERMS):
            over /= k + 1.0
            pair_re += h_re * over
            pair_im += h_im * over
            triple_re += h_re * over / (k + 2.0)
            triple_im += h_im * over / (k + 2.0)
            b_re, b_im = -b_im * b, b_re * b
            h_re, h_im = a * h_re + b_re, a * h_im + b_im
        return kept, first, second, pair_re, pair_im, triple_re, triple_im
    # exp[a, b] = (e^b - e^a) / (b - a), exp[0, a, b] = (exp[0, b] - exp[0, a]) / (b - a)
    size = a * a + b * b
    cos_b, sin_b = math.cos(b), math.sin(b)
    over_re, over_im = -a / size, -b / size
    re, im = cos_b - kept, sin_b
    pair_re, pair_im = re * over_re - im * over_im, re * over_im + im * over_re
    if abs(b) < 1e-4:  # (e^b - 1) / b, whose difference loses digits
        re, im = 1.0 - b * b / 6.0 - first, b / 2.0 - b * b * b / 24.0
    else:
        half = math.sin(0.5 * b)
        re, im = sin_b / b - first, 2.0 * half * half / b
    triple_re, triple_im = re * over_re - im * over_im, re * over_im + im * over_re
    return kept, first, second, pair_re, pair_im, triple_re, triple_im


@outlined
def move_closed(
    x: float,
    y: float,
    vx: float,
    vy: float,
    heading: float,
    omega: float,
    push: float,
    resist: float,
    fx: float,
    fy: float,
    dt: float,
) -> tuple[float, float, float, float, float]:
    """Place, velocity and heading after `dt` seconds of constant rates.

    Parameters
    ----------
    omega, push, resist, fx, fy
        Turn rate [rad/s], acceleration along the heading [px/s^2], drag [1/s] and
        constant acceleration [px/s^2].
    """
    kept, first, second, pair_re, pair_im, triple_re, triple_im = differences(
        resist * dt, omega * dt
    )
    cos_h, sin_h = math.cos(heading), math.sin(heading)
    square = dt * dt
    x += vx * dt * first + fx * square * second
    y += vy * dt * first + fy * square * second
    x += push * square * (cos_h * triple_re - sin_h * triple_im)
    y += push * square * (cos_h * triple_im + sin_h * triple_re)
    vx = vx * kept + fx * dt * first + push * dt * (cos_h * pair_re - sin_h * pair_im)
    vy = vy * kept + fy * dt * first + push * dt * (cos_h * pair_im + sin_h * pair_re)
    return x, y, vx, vy, heading + omega * dt
