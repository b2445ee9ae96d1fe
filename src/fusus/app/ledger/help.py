"""What each row is: explanation, usual values, how to measure it, source. Common practice where nothing else is named."""

from fusus.app.panels.notes_panel import Help

TEXTS: dict[str, Help] = {
    "name": Help("Craft", "The name under which this project is kept and reported.", "A short word."),
    "is_practice": Help(
        "Craft", "A craft to practise on: calibrations from the stand-in board count in it. In a real craft they are kept and never used.",
        "Off for every craft that flies.",
    ),
    "brief.about": Help("About", "One sentence on what the craft is for. It stands in reports."),
    "brief.craft.layout": Help("Layout", "How the rotors are arranged. The mixer and the authority per axis follow from it."),
    "brief.craft.mass_kg": Help(
        "Mass", "All-up mass, ready to fly, battery in.", "0.25 to 3 kg for home-built quads.", "Kitchen scale, to 1 %."
    ),
    "brief.craft.arm_m": Help("Arm", "From the centre of gravity to a rotor's axis.", "0.1 to 0.35 m.", "Ruler."),
    "brief.craft.prop_diameter_m": Help("Propeller", "Diameter. Hover power and rotor frequency follow from it.", "8 to 40 cm."),
    "brief.craft.motor_thrust_n": Help(
        "Motor thrust", "The most that one motor gives with its propeller. Accelerometer range and control follow from it.",
        "5 to 20 N for craft of 1 to 2 kg.", "Bench scale, motor clamped, people away, eyes protected.",
    ),
    "brief.craft.cells": Help("Battery cells", "Cells in series, 3.7 V each while they last.", "3 to 6."),
    "brief.craft.capacity_as": Help(
        "Capacity", "As printed. It is flown down to the stop voltage; the body of the craft says how much is left then.",
        "1000 to 10000 mAh.",
    ),
    "inertia_x_kg_m2": Help("Inertia, roll", "About the forward axis. Empty: estimated from mass and arm.", "", "Swing it on "
    "two threads."),
    "inertia_y_kg_m2": Help("Inertia, pitch", "About the axis to the right. Empty: estimated.", "", "Swing it on two threads."),
    "inertia_z_kg_m2": Help("Inertia, yaw", "About the vertical axis. Empty: estimated.", "", "Swing it on two threads."),
    "brief.modes": Help(
        "Flight modes", "What the craft must be able to do. Each mode needs its sensors: see “Modes and sensors”.",
        "Rate flies on the gyro alone; self-level adds the accelerometer; height adds a barometer; position adds GNSS.",
    ),
    "brief.mission.hover_s": Help("Hover", "How long the mission hovers before it moves: heading drifts without acceleration."),
    "brief.mission.height_m": Help("Height", "Of the mission over ground. A rangefinder helps within its range.", "2 to 50 m."),
    "brief.mission.speed_m_s": Help("Speed", "Of the transit.", "3 to 12 m/s."),
    "brief.mission.outage_s": Help(
        "GNSS outage", "How long the mission is without a fix, under a bridge or between walls; an outage requirement overrules it.",
        "5 to 30 s.",
    ),
    "brief.mission.wind_m_s": Help("Wind", "Mean wind. It leans the craft, blows on the barometer and makes it crab.", "2 to 10 m/s."),
    "brief.mission.warming_k": Help("Warming", "How much the board warms up in flight: offsets go with it.", "5 to 20 K."),
    "brief.mission.vibration_acc_m_s2": Help(
        "Vibration, force", "RMS at the IMU, soft mount included.", "0.5 (soft mount) to 10 m/s² (hard mount, chipped propeller).",
        "A short hover at the greatest rate.",
    ),
    "brief.mission.vibration_gyro_rad_s": Help("Vibration, rate", "RMS at the gyro.", "0.5 to 5 °/s."),
    "brief.mission.hover_current_a": Help("Motor current", "In the hover: its field turns the magnetometer.", "8 to 30 A."),
    "brief.mission.steel_ut": Help(
        "Steel nearby", "The horizontal field of steel at the nearest point of the mission.",
        "0 in a meadow, 5 beside a car, 20 under a footbridge.",
    ),
    "brief.mission.weather_pa": Help(
        "Weather", "How much the pressure drifts over some three hours, one sigma.",
        "0.3 hPa settled, 1 hPa changeable, 3 hPa as a front comes.",
    ),
    "bench.link": Help(
        "Link", "Where the board is: stand-in (a whole board with hidden errors, to learn on), serial:PATH@BAUD, "
        "udp:PORT (heard from this computer alone), udp:0.0.0.0:PORT (from all networks), or file:PATH.",
        "serial:/dev/ttyACM0@921600", "“fusus snippet” prints the C that a board needs.",
    ),
    "bench.use": Help("On replay", "Whether recordings are corrected by the active calibrations. The recordings stay as they were."),
    "bench.faces": Help(
        "Accelerometer", "What it is calibrated from. Six faces laid square give all axes; five leave one axis to a single reading; nine "
        "and more free poses need no square box, and gravity's size alone.",
    ),
    "bench.school": Help(
        "Due", "When a calibration is due. Schools differ: before each flight, on signs only (a knock, new firmware), after 50 km or 30 "
        "days; or a 20 s check capture decides by measurement.",
    ),
    "brief.climate.low_degc": Help("Coldest", "Parts must work in it.", "-10 to 10 °C."),
    "brief.climate.high_degc": Help("Warmest", "Parts must work in it.", "25 to 40 °C."),
    "brief.budgets.price": Help("Money", "What all sensors may cost, in credits. Empty: no limit."),
    "brief.budgets.mass_kg": Help("Mass", "What all sensors may weigh. Empty: no limit.", "20 to 60 g."),
    "brief.budgets.current_a": Help("Current", "What all sensors may draw. Empty: no limit.", "50 to 300 mA."),
    "brief.budgets.bus_share": Help("Bus time", "Share of a control cycle that reading may take. Empty: no limit.", "30 to 50 %."),
    "parts.imu": Help("IMU", "Gyro and accelerometer; nine-axis boards bring a magnetometer.", "All parts shipped are invented."),
    "parts.barometer": Help("Barometer", "Pressure for height. Foam over it, light off it.", "0.3 to 3 Pa of noise."),
    "parts.magnetometer": Help("Magnetometer", "Heading. On a mast, away from power wires.", "0.1 to 0.6 µT of noise."),
    "parts.receiver": Help("Receiver", "GNSS position and velocity.", "10 Hz is good; advertised accuracy is a best case."),
    "parts.rangefinder": Help("Rangefinder", "Distance to the ground below, within its range."),
    "parts.heading": Help(
        "Heading from", "One school takes the magnetometer, the other the GNSS course, which lags and shows nothing in a hover.",
    ),
    "parts.fitting.calibrated": Help(
        "Calibration",
        "Done on the bench it leaves some 8 % of offset, scale and cross-axis errors: common practice until your bench says better.",
    ),
    "parts.fitting.foam": Help("Foam", "Open-cell foam lets about a fifth of the airflow's pressure through. Never glue over the hole."),
    "parts.fitting.motor_ut_a": Help(
        "Motor field", "What one ampere of motor current adds at the magnetometer.", "0.01 (mast) to 0.5 µT/A.",
        "Magnetometer against current, propellers off.",
    ),
    "parts.fitting.lever_arm_b_m.0": Help("Antenna ahead", "From the centre of gravity to the antenna, forward positive."),
    "parts.fitting.lever_arm_b_m.1": Help("Antenna right", "From the centre of gravity to the antenna, right positive."),
    "parts.fitting.lever_arm_b_m.2": Help("Antenna below", "Down is positive: an antenna on a mast has a negative figure."),
    "drift.averaging_s": Help("Bias averaged", "How long the gyro lies still before its mean is taken off.", "5 to 60 s."),
    "drift.bias_error_rad_s": Help(
        "Bias error wanted", "How well the gyro's bias should be known; “What matters” says how long to average for it, if "
        "it can be had.",
        "10 to 100 °/h for consumer parts.", "", "IEEE Std 952",
    ),
    "drift.span_s": Help("Span shown", "How long drift at rest is simulated.", "10 min to hours."),
    "drift.limit_m": Help("Limit, no GNSS", "How far dead reckoning may be off."),
    "brief.place.lat_deg": Help(
        "Latitude",
        "WGS 84, north positive. Gravity and the magnetic field follow from the place.",
        "",
        "Any map; 0.1° is good enough for both.",
        "Gravity: WGS 84 (NGA.STND.0036). Field: World Magnetic Model 2025.",
    ),
    "brief.place.lon_deg": Help("Longitude", "WGS 84, east positive.", "", "Any map; 0.1° is good enough."),
    "brief.place.height_m": Help("Height", "Above sea level. Air density and pressure follow from it.", "", "Any map."),
    "brief.day": Help("Date", "When you fly: the magnetic field drifts by some 0.1° a year."),
    "requirement": Help(
        "Requirement",
        "How good the estimate has to be. RMSE weighs all errors, the 95th percentile leaves the worst twentieth out, the "
        "maximum takes the single worst.",
        "Tilt 1 to 3°, heading 5 to 10°, height 0.3 m, position 1 to 2 m for slow survey craft.",
        "Against a jig, a tape, a surveyed point or another system.",
    ),
    "fusion.recording": Help(
        "Recording", "The log that the estimators run over. Drop a file on the window to import another."
    ),
    "fusion.estimators": Help(
        "Estimators",
        "Pick one or several: they run over the same samples and are drawn over one another. The first picked is the one that "
        "the requirements are held against; the round mark shows which.",
        "Complementary is enough for self-level, says one school; a Kalman filter learns the bias and tells its own error, says another.",
    ),
    "fusion.use_accelerometer": Help(
        "Accelerometer", "Without it the gyro alone turns the attitude; place and speed come from fixes alone.",
    ),
    "fusion.use_magnetometer": Help(
        "Magnetometer", "Without it heading starts at zero and drifts with the gyro; tilt is hardly touched."
    ),
    "fusion.align_time": Help(
        "Align clocks",
        "Shifts the reference onto the recording's clock by the correlation of turning rates, offset and rate.",
        "Needed when the reference comes from another logger; not for simulated truth.",
    ),
    "fusion.align_yaw": Help(
        "Align headings",
        "Takes the mean heading difference off before errors are counted.",
        "For references whose zero of heading is arbitrary. It hides a constant heading error: look at the offset too.",
    ),
    "tau_acc_s": Help(
        "Time constant, gravity", "Larger trusts the gyro more, smaller the accelerometer.", "0.5 to 5 s",
        "Shorten it until vibration shows in the tilt, then go back.", "alpha = tau / (tau + dt)"
    ),
    "tau_mag_s": Help("Time constant, field", "Larger trusts the gyro more, smaller the magnetometer.", "0.5 to 5 s"),
    "acc_gate_m_s2": Help(
        "Gate, gravity", "The accelerometer is left out while its strength differs from gravity by more than this.", "0.5 to 2 m/s²"
    ),
    "mag_gate": Help(
        "Gate, field", "The field is left out while its strength differs from the expected one by more than this share.",
        "10 to 20 %",
    ),
    "kp_acc": Help("Gain, gravity", "One over the time constant: larger trusts the accelerometer more.", "0.2 to 2 per second"),
    "kp_mag": Help("Gain, field", "Larger trusts the magnetometer more.", "0.2 to 2 per second"),
    "ki": Help("Gain, bias", "How fast the gyro bias is learnt; large values let disturbances into it.", "0 to 0.1 per second squared"),
    "beta_rad_s": Help("Step rate", "The rate at which the attitude is turned towards gravity and field.", "0.5 to 5 °/s"),
    "zeta_rad_s2": Help("Step rate, bias", "How fast the gyro bias follows; 0 switches it off.", "0 to 0.05 °/s²"),
    "gyro_noise_rad_s_rthz": Help(
        "Gyro noise",
        "N, the Allan coefficient (two-sided density). Datasheets print the one-sided density: N is that divided by √2.",
        "0.003 to 0.015 °/s/√Hz for consumer parts",
        "A still capture of ten minutes: the Allan deviation at 1 s.",
        "IEEE Std 952",
    ),
    "gyro_walk_rad_s2_rthz": Help(
        "Gyro bias walk", "K, how fast the bias drifts.", "1e-4 to 1e-3 °/s²/√Hz", "Allan deviation at 3 s on the slope +1/2."
    ),
    "gyro_bias_sigma_rad_s": Help("Gyro bias spread", "How large the bias may be where no rest at the start shows it.", "0.5 to 2 °/s"),
    "gyro_scale_sigma": Help(
        "Gyro scale error", "How much the scale may be off after calibration.", "0.3 to 2 %", "A turntable, or one full turn by hand."
    ),
    "acc_noise_m_s2_rthz": Help("Accel. noise", "N, the Allan coefficient.", "70 to 250 µg/√Hz", "A still capture."),
    "acc_motion_m_s2": Help(
        "Motion at start", "Horizontal acceleration expected before the filter has measured it from its own innovations.",
        "0.2 to 2 m/s²",
    ),
    "acc_motion_tau_s": Help("Motion lasts", "How long such an acceleration lasts: neighbouring samples share it.", "0.3 to 2 s"),
    "acc_bias_sigma_m_s2": Help(
        "Accel. bias", "What calibration leaves: it cannot be told from tilt, so it bounds the claimed accuracy.", "2 to 20 mg",
        "Six-face capture.",
    ),
    "acc_window_s": Help("Window", "Gravity and field are averaged this long before each update.", "0.25 to 1 s"),
    "mag_noise_ut": Help("Magn. noise", "White noise of one sample.", "0.1 to 1 µT", "A still capture, away from steel."),
    "mag_motion_ut": Help("Field wavers", "Field error that changes within seconds, expected at the start.", "0.2 to 1 µT"),
    "mag_bias_sigma_ut": Help(
        "Hard iron left", "What calibration leaves, fixed in the body: it bounds the claimed heading.", "0.2 to 2 µT"
    ),
    "dip_gate_rad": Help("Gate, dip", "The field is left out while its dip differs from the expected one by more than this.", "5 to 15°"),
    "gate_sigma": Help("Gate, innovations", "Updates further off than this many sigmas are refused.", "3 to 5"),
    "recover_s": Help("Recovery", "Readings that agree, refused for so long, make the filter give way; never one alone.", "5 to 60 s"),
    "fusion.use_barometer": Help("Barometer", "Without it height comes from fixes and rangefinder alone."),
    "kit.estimator": Help(
        "Estimator", "Which filter is written as C. Fusion's: its evaluated estimator, whose verdicts Proof shows.", "Fusion's.",
    ),
    "kit.precision": Help(
        "Precision", "Of the figures on the board. Small units for figures know single precision only.", "Single.",
        "“Equality” shows what single precision costs.",
    ),
    "kit.streams": Help(
        "Sends", "Streams that telemetry.c prints, by the line protocol. The board's own estimate is always one of them.",
        "imu, mag, baro, gnss, battery, motor.",
    ),
    "kit.clock_hz": Help("Clock", "Of the board's processor, for the times in “Cost”.", "72 to 480 MHz."),
    "kit.has_fpu": Help("Figures", "Whether the processor adds and multiplies figures in hardware.", "Yes, on most boards of today."),
    "loops.schedule": Help(
        "Schedule", "A superloop does everything in turn; with fixed priorities the shorter period goes first and interrupts the others.",
        "Superloop on small boards; priorities where telemetry and logging are long.",
    ),
    "loops.rate_hz": Help("Loop rate", "How often a cycle begins: IMU to motors.", "250 Hz to 4 kHz; 500 Hz with standard pulses."),
    "loops.processor": Help(
        "Processor speed", "How many times as fast as the one that the durations are of. What if it were faster?", "1; 2 to 4 to try.",
    ),
    "loops.signal": Help(
        "Motor signal", "How the throttle reaches the motor controllers: its pulse is a part of the delay, and bounds the rate.",
        "Standard pulses up to 500 Hz; frames above.",
    ),
    "loops.pulse_by_software": Help(
        "Pulse", "Whether the processor itself times the pulse and waits for its end. The IMU is read meanwhile.", "Off: a timer does it.",
    ),
    "loops.bus": Help("Bus", "That the IMU hangs on. SPI is some twenty times as fast.", "I2C on first boards, SPI on later ones."),
    "loops.bus_hz": Help("Clock", "Of the bus.", "400 kHz for I2C, 1 to 10 MHz for SPI."),
    "loops.single_reads": Help("Reads", "Each byte on its own costs its address again: one burst takes a quarter of it.", "Off."),
    "loops.reads_block": Help("Processor", "Whether it waits for the bus, or hardware reads beside it.", "Waits on simple boards."),
    "loops.with_accelerometer": Help("Accelerometer", "Rate mode does without: six bytes less to read each cycle.", "On for self-level."),
    "loops.filter_s": Help("Filter", "How long it takes.", "5 to 50 µs.", "Toggle a pin at its start and end, and look at it."),
    "loops.estimator_s": Help("Estimator", "How long it takes.", "30 (complementary) to 500 µs (Kalman).", "Toggle a pin and look."),
    "loops.pid_s": Help("PID", "All axes.", "5 to 50 µs.", "Toggle a pin, and look at it."),
    "loops.mixer_s": Help("Mixer", "With its limits.", "2 to 20 µs.", "Toggle a pin, and look at it."),
    "loops.receiver_s": Help("Receiver", "Taking one frame of sticks in.", "10 to 100 µs."),
    "loops.receiver_hz": Help("Receiver at", "How often a frame of sticks comes.", "50 to 250 Hz."),
    "loops.telemetry_s": Help("Telemetry", "Making and sending one message; long texts take longest.", "50 µs (compact) to 2 ms (text)."),
    "loops.telemetry_hz": Help("Telemetry at", "How often.", "5 to 50 Hz."),
    "loops.logging_s": Help("Logging", "Handing one set of values to storage.", "20 to 300 µs."),
    "loops.logging_hz": Help("Logging at", "How often.", "50 Hz to the loop rate."),
    "loops.motor_tau_s": Help(
        "Motor lag", "After so long a motor has made 63 % of a step of thrust. It bounds how quick the rate loop can be.",
        "20 ms (small propellers) to 100 ms (large).", "Thrust stand, craft held down, people away.",
    ),
    "loops.gyro_lowpass_hz": Help("Gyro low-pass", "Second order. Lower is quieter and later: see its phase cost.", "60 to 150 Hz."),
    "loops.acc_lowpass_hz": Help(
        "Accel. low-pass", "Second order, before all estimators, on recordings too. It takes shaking out and makes what is felt late: "
        "the navigation EKF is better without. Empty: none.", "20 to 80 Hz, well below the rotors' frequency.",
    ),
    "loops.derivative_hz": Help("D low-pass", "First order, on the derivative alone.", "30 to 100 Hz."),
    "loops.notch_hz": Help("Notch", "Takes one frequency out, such as that of the rotors. Empty: none.", "The hover's rotor frequency."),
    "loops.notch_quality": Help("Notch quality", "Its middle over its width: narrow costs less phase.", "2 to 5."),
    "loops.crossover_hz": Help(
        "Roll, pitch cross at", "Where the open loop's gain is one: about how quickly it follows.", "3 to 8 Hz for craft of 1 to 2 kg.",
    ),
    "loops.yaw_crossover_hz": Help("Yaw crosses at", "Yaw has a tenth of the torque of roll: ask less of it.", "1 to 3 Hz."),
    "loops.phase_margin_rad": Help("Phase margin", "What may be lost before it swings.", "45 to 65°."),
    "loops.roll": Help("Roll gains", "P, I and D by hand, in full commands per rad/s; empty: designed.", "", "The ladder, or a relay."),
    "loops.pitch": Help("Pitch gains", "P, I and D by hand, in full commands per rad/s; empty: designed."),
    "loops.yaw": Help("Yaw gains", "P, I and D by hand, in full commands per rad/s; empty: designed."),
    "loops.rate_rad_s": Help("Rate of full sticks", "What roll and pitch turn at in rate mode; limits all loops.", "200 to 700 °/s"),
    "loops.yaw_rate_rad_s": Help("Yaw of a full stick", "Yaw has little authority: more only saturates.", "60 to 200 °/s"),
    "loops.shaping_s": Help("Smoothing of sticks", "Steps of the receiver are rounded off; costs delay.", "20 to 100 ms"),
    "loops.stick_curve": Help("Stick curve", "0: straight; towards 1 finer in the middle, still full at the end.", "0.2 to 0.6"),
    "loops.dead_band": Help("Dead band", "Stick centres shift with age: what is this small counts as centred.", "0.02 to 0.05"),
    "loops.feed_forward": Help("Feed-forward", "Share of the torque that a changing wish asks for, given at once.", "0 to 0.7"),
    "loops.tilt_rad": Help("Tilt limit", "Of self-level and of all loops above it: it bounds speed and wind.", "20 to 40°"),
    "loops.speed_m_s": Help("Speed limit", "Of full sticks in position hold, and of coming home."),
    "loops.up_m_s": Help("Climb limit", "Of the throttle stick and of the height loop."),
    "loops.down_m_s": Help("Sink limit", "Fast sinking shakes a craft in its own wake.", "1 to 2 m/s"),
    "loops.home_height_m": Help("Height of coming home", "Over whatever stands on the way."),
    "tilt_p": Help("Tilt gain", "Wanted °/s for each degree of tilt error; empty: a quarter of the rate loop.", "4 to 10 1/s"),
    "heading_p": Help("Heading gain", "Wanted °/s for each degree of heading error.", "1 to 4 1/s"),
    "climb_p": Help("Climb gain", "Wanted m/s² for each m/s of climb error.", "2 to 6 1/s"),
    "speed_p": Help("Speed gain", "Wanted m/s² for each m/s of speed error.", "1 to 3 1/s"),
    "place_p": Help("Place gain", "Wanted m/s for each metre of place error.", "0.4 to 1 1/s"),
    "loops.arm_tilt_rad": Help("Tilt limit of arming", "Tilted further, motors do not start. 180° switches the rule off.", "25°"),
    "loops.arm_when_due": Help("Calibration due", "Whether motors start although a calibration is due."),
    "loops.lost_m": Help("Position lost", "With a σ beyond this, position modes only hold height, and drift with the wind.", "3 to 10 m"),
    "loops.failsafe.radio": Help("Radio silent", "Land: hold, then sink level. Return: come home. Stop: motors off, and it falls.", "land"),
    "loops.failsafe.radio_s": Help("Silent after", "Age of the last packet beyond which a failsafe acts.", "0.3 to 1 s"),
    "loops.failsafe.hold_s": Help("Holds for", "How long it waits for the radio before it lands or comes home.", "2 to 5 s"),
    "loops.failsafe.sink_m_s": Help("Sinks at", "Of a failsafe that lands: the ground may be nearer than it seems.", "0.5 to 1 m/s"),
    "loops.failsafe.empty_cell_v": Help("Battery empty", "Of a cell under load for 3 s: it lands, the pilot steers.", "3.2 to 3.4 V"),
    "loops.failsafe.blind_s": Help("Without a height", "How long it sinks on less thrust before the motors stop.", "20 s"),
    "brief.craft.stop_cell_v": Help("Stop voltage", "Of a cell under load: one lands.", "3.4 to 3.6 V"),
    "brief.craft.cell_ohm": Help("Resistance of a cell", "Sag over current.", "2 to 15 mΩ", "Voltage with and without load."),
    "brief.craft.idle_share": Help("Idle", "What started motors turn at, of full speed: low enough not to lift.", "5 to 15 %"),
    "brief.craft.drag_per_s": Help("Drag", "How fast speed through the air decays without thrust to hold it.", "0.1 to 0.5 1/s"),
    "brief.craft.mean_current_a": Help("Mean current", "Of a whole flight: charge over time.", "", "Fly circles to the stop voltage."),
    "brief.craft.full_rpm": Help("Full speed", "Of a motor with its propeller; thrust goes with its square.", "", "Tachometer, held down."),
    "brief.craft.torque_per_thrust_m": Help("Torque over thrust", "What a propeller drags the craft round by.", "6 % of its diameter"),
    "brief.craft.motors": Help("Own geometry", "Places and turns of the motors of the layout “other”."),
    "fusion.outages": Help(
        "Hide fixes", "Stretches in which no fix reaches the estimators: what would an outage do here? No verdict rests on it.",
        "Start and duration in s: 120:8.",
    ),
    "fusion.use_gnss": Help("GNSS", "Without it place and speed drift away within seconds, and tilt rests on gravity."),
    "gyro_cross_sigma_rad": Help("Gyro cross-axis", "How far the gyro's axes may be off square: a turn about one shows about "
    "the others.", "0.05 to 0.5°"),
    "acc_walk_m_s3_rthz": Help("Accel. bias walk", "K, how fast the bias drifts; warming counts.", "5 to 100 µg/s/√Hz"),
    "acc_scale_sigma": Help("Accel. scale error", "What calibration leaves.", "0.1 to 1 %", "Six-face capture."),
    "gnss_horizontal_m": Help("Fix noise, level", "White part of a fix, one axis. Followed from the fixes themselves where "
    "that is on.", "0.2 to 2 m", "A receiver at rest for an hour."),
    "gnss_vertical_m": Help("Fix noise, height", "White part of a fix's height.", "0.4 to 4 m"),
    "gnss_wander_horizontal_m": Help("Fix drift, level", "Slow part of a fix's error: satellites and air change within "
    "minutes.", "0.5 to 3 m"),
    "gnss_wander_vertical_m": Help("Fix drift, height", "Slow part of a fix's height error.", "1 to 5 m"),
    "gnss_wander_tau_s": Help("Correlation time", "How long a slow error keeps its size.", "60 to 600 s"),
    "gnss_velocity_horizontal_m_s": Help("Speed noise, level", "Of one axis.", "0.05 to 0.3 m/s"),
    "gnss_velocity_vertical_m_s": Help("Speed noise, climb", "Of the vertical axis.", "0.1 to 0.5 m/s"),
    "gnss_delay_s": Help("Delay of fixes", "From the sky to the log. Fixes are compared with where the craft was then.", "50 "
    "to 200 ms", "“Lever arm, delay, mounting” finds it from a flight."),
    "gnss_delay_sigma_s": Help("Delay, spread", "0: the delay is exact. Else the filter learns it, and tries others.", "10 to 150 ms"),
    "lever_arm_x_m": Help("Antenna ahead", "From the centre of gravity to the antenna, forward positive.", "", "Ruler, or from a flight."),
    "lever_arm_y_m": Help("Antenna right", "From the centre of gravity to the antenna, right positive.", "", "Ruler, or from a flight."),
    "lever_arm_z_m": Help("Antenna below", "Down is positive: a mast makes it negative.", "", "Ruler, or from a flight."),
    "lever_arm_sigma_m": Help("Antenna, spread", "0: the lever arm is exact. Else the filter learns it.", "0 to 0.3 m"),
    "baro_noise_m": Help("Baro noise", "White noise of a sample, as height.", "0.05 to 0.5 m"),
    "baro_walk_m_rthz": Help("Baro walk", "How fast its zero moves: weather and warming.", "0.02 to 0.2 m/√s"),
    "baro_delay_s": Help("Baro delay", "Of its own filter.", "10 to 200 ms"),
    "baro_airflow": Help("Baro airflow", "Share of the dynamic pressure that may reach the hole.", "1 % (foam) to 20 "
    "%", "Airflow capture."),
    "mag_iron_sigma_ut": Help("Craft's field", "Constant field of the craft that calibration leaves: learned by turning.", "0.3 to 2 µT"),
    "mag_iron_walk_ut_rthz": Help("Craft's field, walk", "How fast that field changes.", "0 to 0.1 µT/√s"),
    "mag_motor_sigma_ut": Help("Motor field", "What motor currents may add on leaving the ground.", "0.1 to 3 "
    "µT", "Motor-current capture."),
    "mag_soft_sigma": Help("Soft iron left", "What calibration leaves, as a share of the field.", "0.2 to 2 %"),
    "mag_surroundings_ut": Help("Surroundings", "How far the field wavers for seconds while the craft goes by things.", "0.1 to 1 µT"),
    "mag_field_sigma_ut": Help("Earth field, spread", "0: the model's field is exact. Else the filter learns it.", "0 to 2 µT"),
    "course_speed_m_s": Help("Least speed", "Below it the course says nothing of the heading.", "1 to 4 m/s"),
    "course_crab_rad": Help("Crab", "How far the nose may point off the course.", "5 to 30°"),
    "home_sigma_m": Help("Home known to", "How well the place of the start is known to be home; large: fixes alone say where "
    "it is.", "0.05 m from a mark, 1000 m unknown"),
    "follow_gnss": Help("Follow the fixes", "Take their white noise from what they show themselves, between a twelfth and "
    "twenty times the figures above."),
    "mag_vector": Help("All three axes", "Use the field's three axes, not its heading alone: dip then touches tilt."),
    "course_heading": Help("Heading from course", "The other school: the direction of travel instead of the magnetometer. "
    "Works while moving, and lags."),
    "covariance_every": Help("Covariance every", "Samples between two steps of the covariance: 1 is exact, 5 costs half.", "1 to 10"),
    "time_constant_s": Help("Time constant", "Where the barometer takes over from the accelerometer.", "0.5 to 3 s"),
    "gnss_climb_m_s": Help("Climb noise", "Of the fixes' vertical speed.", "0.1 to 0.5 m/s"),
}  # fmt: skip


def help_for(path: str) -> Help | None:
    """Return the help on a row by its path, or by the last word of it."""
    if path.startswith("brief.requirements."):
        return TEXTS["requirement"]
    return TEXTS.get(path) or TEXTS.get(path.rpartition(".")[2])
