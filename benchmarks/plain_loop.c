/* The benchmark scenario as a game would write it in C: turn, thrust, drag, limit, move and
   wrap, for each frame of each variant.  inputs holds left, right, thrust for each frame. */
#include <math.h>

void fly(long variants, long frames, const double *thrust, const double *inputs, double turn,
         double rate, double top, double width, double height, double dt, double *out)
{
    for (long v = 0; v < variants; v++) {
        double x = width / 2, y = height / 2, vx = 0, vy = 0, heading = 0;
        double laps_x = 0, laps_y = 0;
        double angle = turn * dt, gain = thrust[v] * dt, kept = exp(-rate * dt);
        for (long n = 0; n < frames; n++) {
            const double *in = inputs + 3 * n;
            heading += (in[1] - in[0]) * angle;
            double push = in[2] * gain;
            if (push != 0) {
                vx += push * cos(heading);
                vy += push * sin(heading);
            }
            vx *= kept;
            vy *= kept;
            double square = vx * vx + vy * vy;
            if (square > top * top) {
                double share = top / sqrt(square);
                vx *= share;
                vy *= share;
            }
            x += vx * dt;
            y += vy * dt;
            if (x < 0 || x >= width) {
                double laps = floor(x / width);
                x -= laps * width;
                laps_x += laps;
            }
            if (y < 0 || y >= height) {
                double laps = floor(y / height);
                y -= laps * height;
                laps_y += laps;
            }
        }
        double *o = out + 7 * v;
        o[0] = x, o[1] = y, o[2] = vx, o[3] = vy, o[4] = heading, o[5] = laps_x, o[6] = laps_y;
    }
}

/* A craft of twelve rules: turn, thrust, drive in eight ways, wind, gravity, lift, a flap with a
   cooldown, drag, a top speed, a top speed for each axis, snap and move, and the wrap.  inputs
   holds left, right, thrust, drive x, drive y, lift and flap for each frame. */
void fly_twelve(long variants, long frames, const double *thrust, const double *inputs,
                const double *n, double width, double height, double dt, double *out)
{
    for (long v = 0; v < variants; v++) {
        double x = width / 2, y = height / 2, vx = 0, vy = 0, heading = 0, ready = 0;
        double laps_x = 0, laps_y = 0;
        double angle = n[0] * dt, gain = thrust[v] * dt, kept = exp(-n[1] * dt), top = n[2];
        double drive = n[3] * dt, wind = n[4] * dt, gravity = n[5] * dt, lift = n[6] * dt;
        double flap = n[7], cooldown = n[8], top_x = n[9], top_y = n[10], still = n[11];
        for (long i = 0; i < frames; i++) {
            const double *in = inputs + 7 * i;
            heading += (in[1] - in[0]) * angle;
            double push = in[2] * gain;
            if (push != 0) {
                vx += push * cos(heading);
                vy += push * sin(heading);
            }
            vx += in[3] * drive;
            vy += in[4] * drive;
            vx += wind;
            vy += gravity;
            vy -= in[5] * lift;
            if (in[6] != 0 && ready <= i * dt + 1e-9) {
                ready = i * dt + cooldown;
                vy = -flap;
            }
            vx *= kept;
            vy *= kept;
            double square = vx * vx + vy * vy;
            if (square > top * top) {
                double share = top / sqrt(square);
                vx *= share;
                vy *= share;
            }
            vx = fmin(fmax(vx, -top_x), top_x);
            vy = fmin(fmax(vy, -top_y), top_y);
            if (vx * vx + vy * vy < still * still)
                vx = vy = 0;
            x += vx * dt;
            y += vy * dt;
            if (x < 0 || x >= width) {
                double laps = floor(x / width);
                x -= laps * width;
                laps_x += laps;
            }
            if (y < 0 || y >= height) {
                double laps = floor(y / height);
                y -= laps * height;
                laps_y += laps;
            }
        }
        double *o = out + 7 * v;
        o[0] = x, o[1] = y, o[2] = vx, o[3] = vy, o[4] = heading, o[5] = laps_x, o[6] = laps_y;
    }
}

/* A rally: a ball between two bats that follow it at a limited speed, and two rims, all boxes.
   Each step the ball and the bats move; then the earliest impact of the ball with any of the
   four boxes, both moving, is found in closed form, the ball is thrown back, and so on until
   there is none left in the step. */
#define NEVER 2.0

struct box { double x, y, wx, wy, vx, vy, half_x, half_y; };

static double corner(double px, double py, double dx, double dy, double radius)
{
    double size = dx * dx + dy * dy, toward = px * dx + py * dy;
    if (toward >= 0 || size == 0)
        return NEVER;
    double room = px * px + py * py - radius * radius, root = toward * toward - size * room;
    return root < 0 ? NEVER : fmax(room / (sqrt(root) - toward), 0);
}

/* A circle at p that moves by d, and a box about the origin: when they touch, and the normal. */
static double impact(double px, double py, double dx, double dy, double radius, double half_x,
                     double half_y, double *nx, double *ny)
{
    double best = NEVER;
    for (int side = -1; side <= 1; side += 2) {
        double t = (half_x + radius - side * px) / (side * dx);
        if (side * dx < 0 && side * px >= half_x && t < best && fabs(py + t * dy) <= half_y)
            best = fmax(t, 0), *nx = side, *ny = 0;
        t = (half_y + radius - side * py) / (side * dy);
        if (side * dy < 0 && side * py >= half_y && t < best && fabs(px + t * dx) <= half_x)
            best = fmax(t, 0), *nx = 0, *ny = side;
    }
    for (int i = -1; i <= 1; i += 2)
        for (int j = -1; j <= 1; j += 2) {
            double cx = px - i * half_x, cy = py - j * half_y;
            double t = corner(cx, cy, dx, dy, radius);
            if (t < best && t <= 1) {
                double ux = cx + t * dx, uy = cy + t * dy, length = sqrt(ux * ux + uy * uy);
                best = t, *nx = ux / length, *ny = uy / length;
            }
        }
    return best;
}

void fly_rally(long variants, long steps, const double *speeds, double width, double height,
               double radius, double half_x, double half_y, double chase, double faster,
               double top, double dt, double *out)
{
    for (long v = 0; v < variants; v++) {
        double x = width / 2, y = height / 2, vx = speeds[v], vy = 0.37 * speeds[v];
        struct box boxes[4] = {{30, y, 0, 0, 0, 0, half_x, half_y},
                               {width - 30, y, 0, 0, 0, 0, half_x, half_y},
                               {width / 2, -20, 0, 0, 0, 0, width, 20},
                               {width / 2, height + 20, 0, 0, 0, 0, width, 20}};
        long hits = 0;
        for (long n = 0; n < steps; n++) {
            double bx = x, by = y, wx = vx * dt, wy = vy * dt, now = 0;
            y += wy;
            for (int b = 0; b < 2; b++) {
                double way = y - boxes[b].y, most = chase * dt;
                if (way * way > most * most)
                    way *= most / sqrt(way * way);
                boxes[b].wy = way, boxes[b].vy = way / dt;
            }
            for (;;) {
                double best = NEVER, nx = 0, ny = 0, left = 1 - now;
                int hit = -1;
                for (int b = 0; b < 4; b++) {
                    struct box *o = boxes + b;
                    double px = bx - o->x - now * o->wx, py = by - o->y - now * o->wy;
                    double far_x = o->half_x + radius + fabs(wx) + fabs(o->wx);
                    double far_y = o->half_y + radius + fabs(wy) + fabs(o->wy);
                    if (fabs(px) > far_x || fabs(py) > far_y)
                        continue;
                    double dx = (wx - o->wx) * left, dy = (wy - o->wy) * left, ux, uy;
                    double t = impact(px, py, dx, dy, radius, o->half_x, o->half_y, &ux, &uy);
                    if (t <= 1 && now + t * left < best)
                        best = now + t * left, hit = b, nx = ux, ny = uy;
                }
                if (hit < 0)
                    break;
                struct box *o = boxes + hit;
                bx += (best - now) * wx, by += (best - now) * wy, now = best, hits++;
                double inward = vx * nx + vy * ny;
                if (inward < 0)
                    vx -= 2 * inward * nx, vy -= 2 * inward * ny;
                double speed = sqrt(vx * vx + vy * vy), share = fmin(speed * faster, top) / speed;
                vx *= share, vy *= share;
                inward = (vx - o->vx) * nx + (vy - o->vy) * ny;
                if (inward < 0)
                    vx -= inward * nx, vy -= inward * ny;
                wx = vx * dt, wy = vy * dt;
            }
            x = bx + (1 - now) * wx, y = by + (1 - now) * wy;
            for (int b = 0; b < 2; b++)
                boxes[b].y += boxes[b].wy, boxes[b].wy = 0;
        }
        double *o = out + 5 * v;
        o[0] = x, o[1] = y, o[2] = vx, o[3] = vy, o[4] = hits;
    }
}
