/* What Fusus asks of an estimator of your own: two functions. 0BSD: yours to use as you like.

   Put this header beside your sources and implement own_init() and own_step() in any of them. Fusus compiles all .c files of
   the folder together with a small program of its own, in a process of its own, and hands your code the same recordings that
   its own filters get. Figures are doubles here whatever your code uses inside; NAN stands for what did not come, or for
   what you do not give. Body axes: x forward, y right, z down. n: north, east, down. */
#ifndef OWN_ESTIMATOR_H
#define OWN_ESTIMATOR_H

#ifdef __cplusplus
extern "C" {
#endif

/* How it begins: found by Fusus while the craft stood still. */
typedef struct {
    double attitude[4];        /* quaternion w, x, y, z: body to north-east-down */
    double gyro_bias_rad_s[3]; /* what the gyro read at rest */
    double rest_s;             /* how long it rested */
    double gravity_m_s2;
    double declination_rad; /* from true to magnetic north, east positive */
    double field_ut;        /* strength of the earth's field; NAN without a magnetometer */
    double dip_rad;
    int is_still;
    int has_heading;
} own_start;

/* One reading of gyro and accelerometer, and what came with it. */
typedef struct {
    double time_s;
    double interval_s; /* since the sample before */
    double gyro_rad_s[3];
    double acc_m_s2[3]; /* specific force: z = -9.81 at rest */
    double mag_ut[3];
    double height_m;          /* barometric, above the level of the start */
    double fix_position_m[3]; /* north, east, down from home */
    double fix_velocity_m_s[3];
    double fix_age_s; /* how long ago the fix came */
    double fix_variance_factor;
    double range_m;
    int known; /* 1: at rest, 2: accelerometer at its stop, 4: gyro at its stop */
} own_sample;

/* What it says after the sample. Filled with NAN before each call; attitude must be given. */
typedef struct {
    double attitude[4];
    double gyro_bias_rad_s[3];
    double position_m[3];
    double velocity_m_s[3];
    double sigma_rad[3]; /* one sigma of roll, pitch, yaw */
    int flags;
} own_estimate;

void own_init(const own_start *start);
void own_step(const own_sample *sample, own_estimate *estimate);

#ifdef __cplusplus
}
#endif

#endif
