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
    "step": "holding height; sticks ask for roll and pitch, to and fro",
    "stick-modes": "self-level, then mixed: sticks to and fro, at last to their end",
    "flip": "rate mode: once round about the roll axis, then level again",
    "crossing": "there and back at the mission's speed, under steel and without fixes half-way",
    "gnss-loss": "holding its place in gusts; then fixes stop for good",
    "weak-motor": "hover; one motor loses a quarter of its thrust",
    "return": "flies out, then comes home and lands by itself",
    "sweep": "shaken through all frequencies, axis by axis: to identify the loops",
    "arming-tilted": "on a slope beyond the limit: the motors must not start",
}
