"""The kinds of flight that can be simulated, by name: what each is for."""

# Along a given motion: what estimators make of it.
KINDS: dict[str, str] = {
    "mission": "the brief's mission: hover, transit, turns, an outage under steel, return",
    "hover": "a minute and more over one place",
    "transit": "lanes there and back at the mission's speed",
    "turns": "three circles, the nose along the path",
    "outage": "lanes with two stretches without GNSS",
}
# In closed loop: the craft flies on its own estimate.
FLIGHTS: dict[str, str] = {
    "take-off": "up to the mission's height, ten seconds there, down again",
    "hover-wind": "half a minute over one place in gusts",
    "hover-level": "half a minute in self-level at held height, sticks let go: it goes where the air and its errors take it",
    "hover-hold": "half a minute holding its place",
    "step": "holding height; sticks ask for roll and pitch, to and fro",
    "stick-modes": "self-level, then mixed: sticks to and fro, at last to their end",
    "flip": "rate mode: once round about the roll axis, then level again",
    "crossing": "there and back at the mission's speed, under steel and without fixes half-way",
    "gnss-loss": "holding its place in gusts; then fixes stop for good",
    "weak-motor": "hover; one motor loses a quarter of its thrust",
    "return": "flies out, then comes home and lands by itself",
    "sweep": "shaken through all frequencies, axis by axis: to identify the loops",
    "arming-tilted": "on a slope beyond the limit: the motors must not start",
    "radio-loss": "led away by a stick that is held, then the radio is silent for good",
    "radio-and-fixes": "the same, and the receiver is silent too",
    "radio-on-ground": "motors on, on the ground, and the radio is silent",
    "battery-empty": "holding its place until the battery is empty",
    "motor-lost": "holding its place; a motor gives nothing any more",
}
# Of these the flights that try what the craft does by itself.
FAILSAFES = ("radio-loss", "radio-and-fixes", "radio-on-ground", "battery-empty", "motor-lost")
# Flights that are about sticks: the craft may go where the air takes it; and of these the ones in which its height may, too.
BY_STICKS = ("hover-level", "step", "stick-modes", "flip", "sweep", "arming-tilted", *FAILSAFES)
AT_ANY_HEIGHT = ("stick-modes", "flip", "arming-tilted", *FAILSAFES)
# What may be wrong with a flight in closed loop, one at a time: each makes it drift in its own way.
TROUBLES: dict[str, str] = {
    "level": "level calibrated on a slope",
    "sticks": "sticks whose centres have shifted",
    "gyro": "a gyro bias that arises in flight",
    "magnetometer": "iron beside the magnetometer",
    "wind": "wind, and no place held against it",
    "airflow": "airflow on the barometer",
    "centre": "centre of gravity off its place",
    "saturation": "so heavy that motors are at their stop",
    "vibration": "propellers out of balance",
    "multipath": "fixes dragged away by reflections",
}
