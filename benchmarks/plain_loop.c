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
