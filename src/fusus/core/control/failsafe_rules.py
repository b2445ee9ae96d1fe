"""The limits of failsafes with their reasons, and the table of what is done when: common practice, in three schools."""

import math
from dataclasses import dataclass

from fusus.core.control import failsafe
from fusus.core.control.failsafe import FailsafeRules, sink_throttle

SCHOOLS: dict[str, int] = {"land": failsafe.LANDS, "return": failsafe.RETURNS, "stop": failsafe.STOPS}
SCHOOL_WORDS: dict[str, str] = {
    "land": "hold, then sink level where it is: needs no place, and comes down near",
    "return": "hold, then come home and land: needs a place, a heading and a free way at the height of coming home",
    "stop": "stop the motors at once: for small craft above a field where nobody is; it falls",
}
# Silence beyond which a sensor counts as lost, s: a tenth of a second without rates tips a craft over; heights, fixes and headings are
# carried on by the estimate for longer.
GYRO_S, BARO_S, GNSS_S, MAG_S = 0.1, 2.0, 3.0, 1.0
# An estimate may be unsound for as long as it takes to find its way back; a craft without attitude tips over within half a second.
UNSOUND_S = 0.5
# So long the radio must be back: single packets at the edge of its reach give no control.
BACK_S = 1.0
# Voltage sags under full thrust for a second or two, and comes back.
VOLTAGE_S = 3.0
# In free fall the accelerometer reads next to nothing although thrust is asked for; half a second is 1.2 m.
FALL_M_S2, FALL_S = 2.5, 0.5
# Blows of landings and gusts stay below six times gravity.
BLOW_M_S2 = 60.0
# Half as fast again as full sticks ask for: nobody asked for that, a motor or a propeller has gone.
SPIN_SHARE, SPIN_S = 1.5, 0.3
# Rates that stay so far off the wanted ones, by what full sticks ask for, while a step of the sticks takes a tenth of a second.
ASTRAY_SHARE, ASTRAY_S = 0.6, 0.4
OVER_S = 1.0
# Without a height it sinks on a little less thrust than hovers: drag ends the gain of speed.
BLIND_SHARE = 0.92


@dataclass(frozen=True, slots=True)
class Chosen:
    """What the maker chooses: the school of a silent radio, after how long it is silent and how long is held then, s; how fast it
    sinks m/s; voltages of a cell at which the battery is low and empty, V; how long it sinks without a height before motors stop, s."""

    radio: str = "land"
    radio_s: float = 0.5
    hold_s: float = 3.0
    sink_m_s: float = 0.7
    low_cell_v: float = 3.5
    empty_cell_v: float = 3.3
    blind_s: float = 20.0


@dataclass(frozen=True, slots=True)
class Row:
    """A line of the table: what fails, how it is told and after how long (None: at once), what is done, what ends it, what is never
    done."""

    cause: str
    told_by: str
    after_s: float | None
    does: str
    ends: str
    never: str


def rules_of(chosen: Chosen, down_m_s: float, curve: float, dead: float, most_rad_s: float) -> FailsafeRules:
    """Return the rules as the loops take them.

    ``down_m_s``: how fast the full stick sinks; ``curve`` and ``dead`` of the sticks; ``most_rad_s``: the fastest turn that sticks ask for.
    """
    return FailsafeRules(
        radio=SCHOOLS[chosen.radio], radio_s=chosen.radio_s, gyro_s=GYRO_S, baro_s=BARO_S, gnss_s=GNSS_S, mag_s=MAG_S,
        unsound_s=UNSOUND_S, hold_s=chosen.hold_s, blind_s=chosen.blind_s, back_s=BACK_S, low_v=chosen.low_cell_v,
        empty_v=chosen.empty_cell_v, voltage_s=VOLTAGE_S, fall_m_s2=FALL_M_S2, fall_s=FALL_S, blow_m_s2=BLOW_M_S2,
        spin_rad_s=SPIN_SHARE * most_rad_s, spin_s=SPIN_S,
        astray_rad_s=ASTRAY_SHARE * most_rad_s, astray_s=ASTRAY_S, over_s=OVER_S,
        sink_throttle=sink_throttle(chosen.sink_m_s, down_m_s, curve, dead), blind_throttle=0.5 * BLIND_SHARE,
    )  # fmt: skip


def table(rules: FailsafeRules, chosen: Chosen) -> tuple[Row, ...]:
    """Return what is done when, a row a cause."""
    stopped = "disarming, then arming by hand"
    hold = f"holds place and height {chosen.hold_s:g} s (level where no place is known)"
    lands = f"sinks level at {chosen.sink_m_s:g} m/s, stops on the ground"
    radio = {
        "land": f"{hold}, then {lands}",
        "return": f"{hold}, then comes home and lands; without place or heading it {lands}",
        "stop": "stops the motors",
    }[chosen.radio]
    back = f"{rules.back_s:g} s of radio: the pilot flies again"
    return (
        Row("Radio silent, in the air", "age of the last packet", rules.radio_s, radio, back, "climbing, or starting motors again"),
        Row("Radio silent, on the ground", "age of the last packet", rules.radio_s, "stops the motors", stopped, "waiting with motors on"),
        Row("Gyro silent", "age of the last sample", rules.gyro_s, "stops the motors", stopped, "flying on by the last rate"),
        Row("No attitude", "quaternion that is none", rules.unsound_s, "stops the motors", stopped, "flying on by the last attitude"),
        Row(
            "Estimate unsound", "its own consistency", rules.unsound_s, f"level, without place: {lands}",
            "soundness, and the pilot's radio", "holding a place that may be wrong",
        ),
        Row(
            "Barometer silent", "age, and whether a height is known", rules.baro_s,
            "tells the pilot; a failsafe that needs a height sinks on less thrust instead", "a height", "climbing by an old height",
        ),
        Row(
            "Receiver silent", "age, and whether the place is known", rules.gnss_s,
            "tells the pilot; modes that need a place hold height and level", "a known place", "coming home without a place",
        ),
        Row(
            "Magnetometer silent", "age of the last sample", rules.mag_s, "tells the pilot; coming home becomes landing", "samples again",
            "coming home without a heading",
        ),
        Row(
            "Sinking without a height", f"{chosen.blind_s:g} s of it", None, "stops the motors: it has landed, or nothing tells",
            stopped, "sinking for ever",
        ),
        Row("Battery low", f"{rules.low_v:g} V a cell", rules.voltage_s, "tells the pilot", "the voltage", "landing by itself"),
        Row(
            "Battery empty", f"{rules.empty_v:g} V a cell", rules.voltage_s, f"{lands}; the pilot steers", "the ground",
            "flying on until motors stop",
        ),
        Row(
            "Lies over", "60° on the ground, 100° in the air in a mode that levels", rules.over_s, "stops the motors", stopped,
            "turning propellers in the grass",
        ),
        Row(
            "Falls", f"specific force below {rules.fall_m_s2:g} m/s² with thrust asked for", rules.fall_s, "stops the motors", stopped,
            "restarting in the fall",
        ),
        Row(
            "Crashed", f"a blow of {rules.blow_m_s2:g} m/s², then over or spinning within a second", None, "stops the motors", stopped,
            "turning on",
        ),
        Row(
            "A motor lost", f"rates {math.degrees(rules.astray_rad_s):.0f}°/s off the wanted ones, or a spin of "
            f"{math.degrees(rules.spin_rad_s):.0f}°/s", rules.astray_s,
            "stops the motors: it falls; a craft of four cannot be held on three", stopped, "spinning on at full thrust",
        ),
    )  # fmt: skip
