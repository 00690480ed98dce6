/* The arithmetic of kernel.run_loop for the case that is timed (PID, slow window, probe with lag, noise and steps, dead time,
   true extremes, limits and goal; no events, one segment a sample, no measures), written by hand as a yardstick. Matrices come
   ready-made from the caller. */
#include <math.h>
#include <string.h>

#define W 8      /* slots of the state in one block */
#define TERMS 9  /* of the series of Γ */
#define EPS 1e-9

static double between(double y0, double r0, double y1, double r1, double span, double s) {
    double l = 1 - s;
    return y0 * (1 + 2 * s) * l * l + y1 * s * s * (3 - 2 * s) + span * s * l * (r0 * l - r1 * s);
}

static double rate_between(double y0, double r0, double y1, double r1, double span, double s) {
    double l = 1 - s;
    return 6 * (y1 - y0) * s * l / span + r0 * l * (l - 2 * s) + r1 * s * (s - 2 * l);
}

static double turning(double y0, double r0, double y1, double r1, double span) {
    double a = r0 * span, b = r1 * span, way = y1 - y0, half = 3 * way - 2 * a - b, square = 3 * (a + b - 2 * way);
    double root = sqrt(fmax(half * half - square * a, 0)), pivot = half >= 0 ? -half - root : root - half;
    double s = pivot != 0 ? a / pivot : 0.5;
    if (!(0 <= s && s <= 1)) s = square != 0 ? pivot / square : 0.5;
    return between(y0, r0, y1, r1, span, fmin(fmax(s, 0), 1));
}

/* Extremes of one body in a sample with switchings: as linear._corners. */
static void corners(long i, double rate, double by, double h, double y0, const double *smooth, const double (*a)[W],
                    const double (*series)[W], long count, const double *at, const double *change, long heated,
                    double *low, double *high) {
    double r1 = by, y1 = smooth[i], from = 0, from_y = y0, from_r = rate;
    for (int j = 0; j < W; j++) r1 += a[j][i] * smooth[j];
    *low = *high = y0;
    while (from < h) {
        double next = h;
        for (long c = 0; c < count; c++) if (from < at[c] && at[c] < next) next = at[c];
        double y = between(y0, rate, y1, r1, h, next / h), r = rate_between(y0, rate, y1, r1, h, next / h);
        for (long c = 0; c < count; c++) {
            double since = next - at[c];
            if (since <= 0) continue;
            double gain = series[TERMS - 1][i], pace = TERMS * gain;
            for (int q = TERMS - 2; q >= 0; q--) { gain = gain * since + series[q][i]; pace = pace * since + (q + 1) * series[q][i]; }
            y += gain * since * change[c];
            r += pace * change[c];
        }
        *low = fmin(*low, y); *high = fmax(*high, y);
        if (from_r * r < 0) { double e = turning(from_y, from_r, y, r, next - from); *low = fmin(*low, e); *high = fmax(*high, e); }
        from = next; from_y = y; from_r = r;
        if (i == heated) for (long c = 0; c < count; c++) if (at[c] == next) from_r += change[c] * series[0][i];
    }
}

/* settings: kp ki kd tf b c bias low high windup tt rate integrates */
long run(long samples, long n, double h, const double *start, const double (*m)[W], const double *push,
         const double (*series)[W], double power, double dead, double window, double shortest, double resolution,
         long line_size, double *line_t, double *line_level, double step, const double *noise, const double *c,
         const double *r, double *trace, long *reasons, double *bodies, double *energy,
         const double (*a)[W], long heated, long controlled, double *lows, double *highs, double *put_out, double *extremes,
         const double *limits, const double *goal, double since_s, double *rows, double *noted) {
    double z[W], w[W], slope[W] = {0}, slope_after[W], smooth[W], z0[W], at[64], changed_by[64];
    memcpy(z, start, sizeof z);
    for (int j = 0; j < W; j++)
        for (int i = 0; i < W; i++) slope[i] += a[j][i] * z[j];
    for (long i = 0; i < n; i++) extremes[i] = extremes[n + i] = z[i];
    /* Noted of each body: samples beyond a limit, extremes since an instant, when it first passed; then samples in the goal. */
    double *beyond = noted, *after_low = noted + n, *after_high = noted + 2 * n, *passed = noted + 3 * n, *inside = noted + 4 * n;
    *inside = 0;
    for (long i = 0; i < n; i++) { beyond[i] = 0; after_low[i] = after_high[i] = z[i]; passed[i] = -1; }
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
        rows[k] = r[k]; rows[samples + k] = rows[2 * samples + k] = rows[3 * samples + k] = 0; /* setpoint, trip, guard, alarm */
        for (long i = 0; i < n; i++) {
            bodies[i * samples + k] = z[i];
            if (!(-274.15 < z[i] && z[i] < 20000)) return i;
            if (k == samples - 1) continue;
            if (!(limits[i] <= z[i] && z[i] <= limits[n + i])) beyond[i]++;
            if (i == (long)goal[0] && goal[1] <= z[i] && z[i] <= goal[2]) ++*inside;
        }
        if (k == samples - 1) { power_row[k] = level * power; break; }
        double since = t, area = 0;
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
                area += out * (when - since); since = when;
                changed = when; changes++; out = wanted;
                line_t[tail] = when + dead; line_level[tail] = wanted;
                tail = tail + 1 < line_size ? tail + 1 : 0;
            }
        }
        put_out[k] = (area + out * (end - since)) / h;
        double before = moved;
        while (head != tail && line_t[head] <= t + EPS) { level = line_level[head]; head = head + 1 < line_size ? head + 1 : 0; }
        double watts = level * power;
        for (int i = 0; i < W; i++) w[i] = watts * push[i];
        for (int j = 0; j < W; j++)
            for (int i = 0; i < W; i++) w[i] += m[j][i] * z[j];
        memcpy(z0, z, sizeof z);
        memcpy(z, w, sizeof z);
        moved += watts * h;
        long count = 0;
        while (head != tail && line_t[head] < end - EPS) {
            if (count == 0) memcpy(smooth, z, sizeof z);
            double rest = end - line_t[head], change = (line_level[head] - level) * power;
            for (int i = 0; i < W; i++) w[i] = series[TERMS - 1][i];
            for (int q = TERMS - 2; q >= 0; q--)
                for (int i = 0; i < W; i++) w[i] = w[i] * rest + series[q][i];
            for (int i = 0; i < W; i++) z[i] += rest * change * w[i];
            moved += change * rest;
            if (count < 64) { at[count] = h - rest; changed_by[count++] = change; }
            level = line_level[head];
            head = head + 1 < line_size ? head + 1 : 0;
        }
        power_row[k] = (moved - before) / h;
        memset(slope_after, 0, sizeof slope_after);
        for (int j = 0; j < W; j++)
            for (int i = 0; i < W; i++) slope_after[i] += a[j][i] * z[j];
        for (long i = 0; i < n; i++) {
            double by = watts * series[0][i], r0 = slope[i] + by, r1 = slope_after[i] + by;
            double lo = fmin(z0[i], z[i]), hi = fmax(z0[i], z[i]);
            if (count && (i == heated || r0 * r1 < 0))
                corners(i, r0, by, h, z0[i], smooth, a, series, count, at, changed_by, heated, &lo, &hi);
            else if (r0 * r1 < 0) { double e = turning(z0[i], r0, z[i], r1, h); lo = fmin(lo, e); hi = fmax(hi, e); }
            if (lo < extremes[i]) extremes[i] = lo;
            if (hi > extremes[n + i]) extremes[n + i] = hi;
            if (t < since_s - EPS) { after_low[i] = INFINITY; after_high[i] = -INFINITY; }
            else { after_low[i] = fmin(after_low[i], lo); after_high[i] = fmax(after_high[i], hi); }
            if (passed[i] == -1 && (hi > limits[n + i] || lo < limits[i])) passed[i] = t;
            if (i == controlled) { lows[k] = fmin(z0[i], lo); highs[k] = fmax(z0[i], hi); }
        }
        memcpy(slope, slope_after, sizeof slope);
    }
    *energy = moved;
    return -1;
}
