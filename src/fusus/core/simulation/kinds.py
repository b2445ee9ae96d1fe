"""The kinds of flight that can be simulated, by name: what each is for."""

KINDS: dict[str, str] = {
    "mission": "the brief's mission: hover, transit, turns, an outage under steel, return",
    "hover": "a minute and more over one place",
    "transit": "lanes there and back at the mission's speed",
    "turns": "three circles, the nose along the path",
    "outage": "lanes with two stretches without GNSS",
}
