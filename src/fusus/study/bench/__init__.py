"""From captures to calibrations: the fit, its record, what was measured of the parts, and when a calibration is due again."""
