/* An attitude filter as a maker writes it first: invented for the demo, 0BSD. It has one slip; Proof, "Own code" finds it. */
#include "own_estimator.h"

#include <math.h>

static double q[4]; /* w, x, y, z: body to north-east-down */
static double declination;

void own_init(const own_start *start)
{
    for (int i = 0; i < 4; i++) {
        q[i] = start->attitude[i];
    }
    declination = start->declination_rad;
}

/* Turn by a small rotation vector: q += q r / 2. */
static void turn(double x, double y, double z)
{
    const double w = q[0] - 0.5 * (q[1] * x + q[2] * y + q[3] * z);
    const double a = q[1] + 0.5 * (q[0] * x + q[2] * z - q[3] * y);
    const double b = q[2] + 0.5 * (q[0] * y - q[1] * z + q[3] * x);
    const double c = q[3] + 0.5 * (q[0] * z + q[1] * y - q[2] * x);
    const double size = sqrt(w * w + a * a + b * b + c * c);
    q[0] = w / size;
    q[1] = a / size;
    q[2] = b / size;
    q[3] = c / size;
}

void own_step(const own_sample *s, own_estimate *e)
{
    const double dt = s->interval_s;
    turn(s->gyro_rad_s[0] * dt, s->gyro_rad_s[1] * dt, s->gyro_rad_s[2] * dt);

    /* Where down is, by the attitude and by the accelerometer. */
    const double d[3] = { 2 * (q[1] * q[3] - q[0] * q[2]), 2 * (q[2] * q[3] + q[0] * q[1]), 1 - 2 * (q[1] * q[1] + q[2] * q[2]) };
    const double *f = s->acc_m_s2;
    const double n = sqrt(f[0] * f[0] + f[1] * f[1] + f[2] * f[2]);
    const double k = dt / (2.0 + dt);
    if (fabs(n - 9.81) < 1.0) {
        const double m[3] = { -f[0] / n, -f[1] / n, -f[2] / n };
        turn(k * (m[1] * d[2] - m[2] * d[1]), k * (m[2] * d[0] - m[0] * d[2]), k * (m[0] * d[1] - m[1] * d[0]));
    }
    if (!isnan(s->mag_ut[0])) {
        const double *v = s->mag_ut;
        const double tx = 2 * (q[2] * v[2] - q[3] * v[1]), ty = 2 * (q[3] * v[0] - q[1] * v[2]), tz = 2 * (q[1] * v[1] - q[2] * v[0]);
        const double north = v[0] + q[0] * tx + q[2] * tz - q[3] * ty, east = v[1] + q[0] * ty + q[3] * tx - q[1] * tz;
        const double off = remainder(declination - atan2(east, north), 2 * 3.14159265358979);
        turn(0.01 * off * d[0], 0.01 * off * d[1], 0.01 * off * d[2]);
    }
    for (int i = 0; i < 4; i++) {
        e->attitude[i] = q[i];
    }
}
