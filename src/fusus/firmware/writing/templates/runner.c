/* Runs an estimator over a recording: figures from a file in, estimates to a file out. 0BSD. Compiled and started by Fusus.
   Input: doubles, see exchange.py. Never part of a board's firmware. */
#include "own_estimator.h"

#include <math.h>
#include <stdio.h>
#include <stdlib.h>

#ifdef WITH_STATE
void access_load(const double *coefficients, const double *state);
void access_dump(double *state);
#endif

enum { HEAD = 10, START = 14, PER_ESTIMATE = 17 };

static double *array(FILE *in, size_t count)
{
    double *out = malloc((count + 1) * sizeof *out);
    if (out == NULL || fread(out, sizeof *out, count, in) != count) {
        fprintf(stderr, "the input is too short or too large\n");
        exit(3);
    }
    return out;
}

static void start_from(const double *v, own_start *start)
{
    for (int i = 0; i < 4; i++) {
        start->attitude[i] = v[i];
    }
    for (int i = 0; i < 3; i++) {
        start->gyro_bias_rad_s[i] = v[4 + i];
    }
    start->is_still = v[7] > 0.5;
    start->rest_s = v[8];
    start->field_ut = v[9];
    start->dip_rad = v[10];
    start->has_heading = v[11] > 0.5;
    start->gravity_m_s2 = v[12];
    start->declination_rad = v[13];
}

static void put(double *row, const own_estimate *e)
{
    for (int i = 0; i < 4; i++) {
        row[i] = e->attitude[i];
    }
    for (int i = 0; i < 3; i++) {
        row[4 + i] = e->gyro_bias_rad_s[i];
        row[7 + i] = e->position_m[i];
        row[10 + i] = e->velocity_m_s[i];
        row[13 + i] = e->sigma_rad[i];
    }
    row[16] = e->flags;
}

int main(int argc, char **argv)
{
    FILE *in = argc > 2 ? fopen(argv[1], "rb") : NULL;
    FILE *out = argc > 2 ? fopen(argv[2], "wb") : NULL;
    if (in == NULL || out == NULL) {
        fprintf(stderr, "usage: runner INPUT OUTPUT\n");
        return 3;
    }
    const double *head = array(in, HEAD);
    const size_t n = (size_t)head[0], fields = (size_t)head[1], heights = (size_t)head[2], fixes = (size_t)head[3];
    const size_t ranges = (size_t)head[4], coefficients = (size_t)head[5], state = (size_t)head[6], every = (size_t)head[7];
    const double *start_row = array(in, START), *c = array(in, coefficients), *s = array(in, state);
    const double *t = array(in, n), *dt = array(in, n), *gyro = array(in, 3 * n), *acc = array(in, 3 * n), *known = array(in, n);
    const double *mag = array(in, 4 * fields), *baro = array(in, 2 * heights), *gnss = array(in, 9 * fixes);
    const double *range = array(in, 2 * ranges);
    own_start start;
    start_from(start_row, &start);
    own_init(&start);
#ifdef WITH_STATE
    double *dump = malloc((state + 1) * sizeof *dump);
    if (dump == NULL) {
        return 3;
    }
    if (coefficients > 0) {
        access_load(c, s);
    }
#else
    (void)c;
    (void)s;
    (void)every;
#endif
    size_t m = 0, b = 0, g = 0, r = 0;
    for (size_t i = 0; i < n; i++) {
        own_sample sample = { .time_s = t[i], .interval_s = dt[i], .mag_ut = { NAN, NAN, NAN }, .height_m = NAN,
            .fix_position_m = { NAN, NAN, NAN }, .fix_velocity_m_s = { NAN, NAN, NAN }, .fix_variance_factor = 1.0,
            .range_m = NAN, .known = (int)known[i] };
        for (int k = 0; k < 3; k++) {
            sample.gyro_rad_s[k] = gyro[3 * i + (size_t)k];
            sample.acc_m_s2[k] = acc[3 * i + (size_t)k];
        }
        for (; m < fields && (size_t)mag[4 * m] <= i; m++) {
            for (int k = 0; k < 3; k++) {
                sample.mag_ut[k] = mag[4 * m + 1 + (size_t)k];
            }
        }
        for (; b < heights && (size_t)baro[2 * b] <= i; b++) {
            sample.height_m = baro[2 * b + 1];
        }
        for (; g < fixes && (size_t)gnss[9 * g] <= i; g++) {
            sample.fix_age_s = gnss[9 * g + 1];
            for (int k = 0; k < 3; k++) {
                sample.fix_position_m[k] = gnss[9 * g + 2 + (size_t)k];
                sample.fix_velocity_m_s[k] = gnss[9 * g + 5 + (size_t)k];
            }
            sample.fix_variance_factor = gnss[9 * g + 8];
        }
        for (; r < ranges && (size_t)range[2 * r] <= i; r++) {
            sample.range_m = range[2 * r + 1];
        }
        own_estimate e = { .attitude = { NAN, NAN, NAN, NAN }, .gyro_bias_rad_s = { NAN, NAN, NAN },
            .position_m = { NAN, NAN, NAN }, .velocity_m_s = { NAN, NAN, NAN }, .sigma_rad = { NAN, NAN, NAN } };
        own_step(&sample, &e);
        double row[PER_ESTIMATE];
        put(row, &e);
        if (fwrite(row, sizeof row, 1, out) != 1) {
            return 4;
        }
#ifdef WITH_STATE
        if (every > 0 && i % every == 0) {
            access_dump(dump);
            if (fwrite(dump, sizeof *dump, state, out) != state) {
                return 4;
            }
        }
#endif
    }
    return fclose(out) == 0 ? 0 : 4;
}
