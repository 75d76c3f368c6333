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
