"""The reference: incremental smoothing with preintegrated inertial factors, by the gtsam library (Forster et al. 2017)."""

import gtsam
import numpy as np
from gtsam.symbol_shorthand import B, V, X

G = 9.81


def causal(log, gyro_noise, acc_noise, fix_m, speed_m_s, first, heading_sigma=0.1):
    """Return what the smoother says of position at each inertial sample from the first fix on, knowing only what came before, (N, 3).

    ``first``: the true attitude at the first fix: the reference need not find the heading.
    """
    p = gtsam.PreintegrationParams.MakeSharedD(G)
    p.setGyroscopeCovariance(np.eye(3) * gyro_noise**2)
    p.setAccelerometerCovariance(np.eye(3) * acc_noise**2)
    p.setIntegrationCovariance(np.eye(3) * 1e-8)
    params = gtsam.ISAM2Params()
    params.setFactorization("QR")
    isam = gtsam.ISAM2(params)
    graph, values = gtsam.NonlinearFactorGraph(), gtsam.Values()
    t = log.motion.t
    at = int(np.searchsorted(t, log.fix_t[0]))
    speed = (
        log.fix_vel[0] if log.fix_vel is not None else (log.fix_pos[1] - log.fix_pos[0]) / (log.fix_t[1] - log.fix_t[0])
    )
    pose, vel, bias = gtsam.Pose3(gtsam.Rot3(first), log.fix_pos[0]), speed, gtsam.imuBias.ConstantBias()
    sigmas = gtsam.noiseModel.Diagonal.Sigmas
    graph.add(gtsam.PriorFactorPose3(X(0), pose, sigmas(np.r_[0.1, 0.1, heading_sigma, [fix_m] * 3])))
    graph.add(gtsam.PriorFactorVector(V(0), vel, sigmas(np.full(3, 3.0))))
    graph.add(gtsam.PriorFactorConstantBias(B(0), bias, sigmas(np.r_[[0.2] * 3, [0.02] * 3])))
    values.insert(X(0), pose)
    values.insert(V(0), vel)
    values.insert(B(0), bias)
    out = np.full((len(t), 3), np.nan)
    state = gtsam.NavState(pose, vel)
    for k in range(1, len(log.fix_t)):
        summed = gtsam.PreintegratedImuMeasurements(p, bias)
        until = int(np.searchsorted(t, log.fix_t[k] + 1e-9))
        if until <= at:
            continue
        for i in range(at, until):
            dt = t[i] - t[i - 1] if i else t[1] - t[0]
            summed.integrateMeasurement(log.acc[i], log.gyro[i], dt)
            out[i] = summed.predict(state, bias).position()
        at = until
        ahead = summed.predict(state, bias)
        graph.add(gtsam.ImuFactor(X(k - 1), V(k - 1), X(k), V(k), B(k - 1), summed))
        walk = sigmas(np.r_[[1e-3] * 3, [1e-4] * 3] * np.sqrt(summed.deltaTij()))
        graph.add(gtsam.BetweenFactorConstantBias(B(k - 1), B(k), gtsam.imuBias.ConstantBias(), walk))
        graph.add(gtsam.GPSFactor(X(k), log.fix_pos[k], sigmas(np.full(3, fix_m))))
        if log.fix_vel is not None:
            graph.add(gtsam.PriorFactorVector(V(k), log.fix_vel[k], sigmas(np.full(3, speed_m_s))))
        values.insert(X(k), ahead.pose())
        values.insert(V(k), ahead.velocity())
        values.insert(B(k), bias)
        isam.update(graph, values)
        graph, values = gtsam.NonlinearFactorGraph(), gtsam.Values()
        found = isam.calculateEstimate()
        pose, vel, bias = found.atPose3(X(k)), found.atVector(V(k)), found.atConstantBias(B(k))
        state = gtsam.NavState(pose, vel)
        out[at - 1] = pose.translation()
    return out
