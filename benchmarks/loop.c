/* The arithmetic of kernel.run_loop for the case that is timed (PID, slow window, probe with lag, noise and steps, dead
   time; no events, one part a sample), written by hand as a yardstick. Matrices come ready-made from the caller. */
#include <math.h>
#include <string.h>

#define W 8      /* slots of the state in one block */
#define TERMS 9  /* of the series of Γ */
#define EPS 1e-9

/* settings: kp ki kd tf b c bias low high windup tt rate integrates */
long run(long samples, long n, double h, const double *start, const double (*m)[W], const double *push,
         const double (*series)[W], double power, double dead, double window, double shortest, double resolution,
         long line_size, double *line_t, double *line_level, double step, const double *noise, const double *c,
         const double *r, double *trace, long *reasons, double *bodies, double *energy) {
    double z[W], w[W];
    memcpy(z, start, sizeof z);
    double memory = c[0] * (1 - c[4]) * z[n + 2], speed = 0, last_input = 0, last = fmin(fmax(c[6], c[7]), c[8]);
    double level = 0, out = 0, changed = 0, min_on = -1, min_off = -1, ons = 0, moved = 0;
    long head = 0, tail = 0, windows = 0, changes = 0, started = 0;
    double *measured = trace, *drive = trace + samples, *asked_row = trace + 2 * samples, *p_row = trace + 3 * samples,
           *i_row = trace + 4 * samples, *d_row = trace + 5 * samples, *left = trace + 6 * samples,
           *power_row = trace + 7 * samples;
    for (long k = 0; k < samples; k++) {
        double t = k * h, end = t + h;
        double y = z[n + 2] + noise[k];
        if (step > 0) y = floor(y / step + 0.5) * step;
        if (k == 0) memory = c[12] > 0.5 ? c[0] * (1 - c[4]) * y : 0;
        double input = c[5] * r[k] - y;
        if (!started) { last_input = input; started = 1; }
        speed = (c[3] * speed + c[2] * (input - last_input)) / (c[3] + h);
        last_input = input;
        double p = c[0] * (c[4] * r[k] - y), asked = c[6] + p + memory + speed, given = fmin(fmax(asked, c[7]), c[8]);
        long reason = 20;
        if (c[11] > 0) {
            double most = c[11] * h;
            if (given > last + most) { given = last + most; reason = 27; }
            else if (given < last - most) { given = last - most; reason = 28; }
        }
        last = given;
        measured[k] = y; drive[k] = given; asked_row[k] = asked; p_row[k] = p; i_row[k] = memory; d_row[k] = speed;
        left[k] = 0;
        double e = r[k] - y;
        int high = asked > given, low = asked < given;
        int frozen = c[9] == 1 && ((high && e > 0) || (low && e < 0));
        if (c[12] > 0.5) {
            if (!frozen) memory += c[1] * h * e;
            if (c[9] == 2) memory += fmin(h / c[10], 1) * (given - asked);
        }
        if (reason == 20 && (high || low)) {
            reason = c[12] < 0.5 || c[9] == 0 || (c[9] == 1 && !frozen) ? 21 : frozen ? 23 : 25;
            if (low) reason++;
        }
        reasons[k] = reason;
        for (long i = 0; i < n; i++) {
            bodies[i * samples + k] = z[i];
            if (!(-274.15 < z[i] && z[i] < 20000)) return i;
        }
        if (k == samples - 1) { power_row[k] = level * power; break; }
        for (double begin = windows * window; begin < t + h - EPS; begin = ++windows * window) {
            double pulse = fmin(fmax(given, 0), 1) * window;
            if (resolution > 0) pulse = fmin(floor(pulse / resolution + 0.5) * resolution, window);
            if (pulse < shortest || pulse < EPS) pulse = 0;
            else if (window - pulse < shortest || window - pulse < EPS) pulse = window;
            double at = fmax(begin, t);
            for (int edge = 0; edge < 2; edge++) {
                double wanted = edge == 0 && pulse > 0 ? 1 : 0, when = edge ? at + pulse : at;
                if ((edge && !(0 < pulse && pulse < window)) || wanted == out) continue;
                double lasted = when - changed, *slot = out > 0 ? &min_on : &min_off;
                if (changes > 0 && (*slot < 0 || lasted < *slot)) *slot = lasted;
                if (wanted > 0) ons++;
                changed = when; changes++; out = wanted;
                line_t[tail] = when + dead; line_level[tail] = wanted;
                tail = tail + 1 < line_size ? tail + 1 : 0;
            }
        }
        double before = moved;
        while (head != tail && line_t[head] <= t + EPS) { level = line_level[head]; head = head + 1 < line_size ? head + 1 : 0; }
        double watts = level * power;
        for (int i = 0; i < W; i++) w[i] = watts * push[i];
        for (int j = 0; j < W; j++)
            for (int i = 0; i < W; i++) w[i] += m[j][i] * z[j];
        memcpy(z, w, sizeof z);
        moved += watts * h;
        while (head != tail && line_t[head] < end - EPS) {
            double rest = end - line_t[head], change = (line_level[head] - level) * power;
            for (int i = 0; i < W; i++) w[i] = series[TERMS - 1][i];
            for (int q = TERMS - 2; q >= 0; q--)
                for (int i = 0; i < W; i++) w[i] = w[i] * rest + series[q][i];
            for (int i = 0; i < W; i++) z[i] += rest * change * w[i];
            moved += change * rest;
            level = line_level[head];
            head = head + 1 < line_size ? head + 1 : 0;
        }
        power_row[k] = (moved - before) / h;
    }
    *energy = moved;
    return -1;
}
