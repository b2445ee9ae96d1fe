"""What a project's brief means: mission, airframe, needs, and the parts there are. Light to import."""

from dataclasses import replace

from fusus.core.derived_requirements.derive import DerivedRequirement, derive
from fusus.core.derived_requirements.modes import MODES, SENSORS, sensors_for
from fusus.core.mission.mission import Mission
from fusus.core.parts.fields import KIND_TITLES
from fusus.core.parts.part import Part
from fusus.core.vehicle.airframe import Airframe, hover, inertia
from fusus.core.vehicle.battery import Battery, Endurance, endurance
from fusus.core.world.atmosphere import density_kg_m3, geopotential_m
from fusus.project.parts_files import catalogue
from fusus.project.records import Craft, Project
from fusus.study.brief.site import site_of

RESERVE = 0.2  # of the charge, left at landing: common practice


def available(project: Project) -> tuple[Part, ...]:
    """Return the catalogue with the maker's own parts; an own part takes the place of one of the same name."""
    own = {(p.kind, p.name) for p in project.parts.own}
    return (*project.parts.own, *(p for p in catalogue() if (p.kind, p.name) not in own))


def mission_of(project: Project) -> Mission:
    """Return the mission; an outage requirement says how long its outage is."""
    outage = max((r.outage_s for r in project.brief.requirements if r.outage_s is not None), default=None)
    mission = project.brief.mission
    return mission if outage is None else replace(mission, outage_s=outage)


def airframe_of(craft: Craft) -> Airframe:
    """Return the craft as a body."""
    return Airframe(
        craft.layout, craft.mass_kg, craft.arm_m, craft.prop_diameter_m, craft.motor_thrust_n, craft.cells,
        craft.capacity_as, (craft.inertia_x_kg_m2, craft.inertia_y_kg_m2, craft.inertia_z_kg_m2), craft.full_rpm,
        craft.torque_per_thrust_m,
        tuple((m.forward_m, m.right_m, m.is_clockwise) for m in craft.motors),
    )  # fmt: skip


def battery_of(craft: Craft) -> Battery:
    """Return the craft's battery."""
    return Battery(craft.cells, craft.capacity_as, craft.cell_ohm, craft.stop_cell_v)


def endurance_of(project: Project) -> Endurance:
    """Return how long the craft hovers on a full battery: by its measured mean current, else by momentum theory."""
    craft = project.brief.craft
    found = hover(airframe_of(craft), site_of(project).gravity_m_s2, density_of(project))
    return endurance(battery_of(craft), found.power_w, craft.mean_current_a)


def density_of(project: Project) -> float:
    """Return the air's density at home."""
    height = project.brief.place.height_m if project.brief.place else 0.0
    return float(density_kg_m3(geopotential_m(height)))


def derived_requirements_of(project: Project) -> tuple[DerivedRequirement, ...]:
    """Return what the brief asks of parts and loops."""
    site = site_of(project)
    return derive(
        airframe_of(project.brief.craft), mission_of(project), project.brief.requirements, project.brief.modes, site,
        density_of(project), site.horizontal_ut,
    )  # fmt: skip


def body_of(project: Project) -> tuple[tuple[str, str, str], ...]:
    """Return the craft as a body: name, value with unit, reasoning."""
    frame, site = airframe_of(project.brief.craft), site_of(project)
    found = hover(frame, site.gravity_m_s2, density_of(project))
    lasts = endurance_of(project)
    left = 1.0 - lasts.charge_as / project.brief.craft.capacity_as
    x, y, z = (v * 1e3 for v in inertia(frame))
    estimated = [n for n, v in zip(("roll", "pitch", "yaw"), frame.inertia_kg_m2, strict=True) if v is None]
    source = (
        f"{', '.join(estimated)}: rotors as points, the rest as a flat cylinder; to some 25 %"
        if estimated
        else "as entered"
    )
    source += "; the others as entered" if 0 < len(estimated) < 3 else ""
    return (
        ("Inertia, roll, pitch, yaw", f"{x:.3g}, {y:.3g}, {z:.3g} g m²", source),
        ("Hover thrust of a motor", f"{found.motor_thrust_n:.2f} N", "weight over rotors"),
        ("Thrust to weight", f"{found.thrust_to_weight:.2f}", "2 and more for control in wind: common practice"),
        ("Rotor frequency", f"{found.rotor_hz:.0f} Hz", "thrust coefficient of 0.1; vibration comes at it and its multiples"),
        ("Hover power", f"{found.power_w:.0f} W, {found.current_a:.1f} A", "momentum theory, figure of merit 0.55; to some 20 %"),
        ("Endurance", f"{lasts.seconds / 60:.1f} min", f"to the stop voltage under load, in calm air; {left:.0%} of the charge is left then"
         + (f", less than the {RESERVE:.0%} of common practice: raise the stop voltage" if left < RESERVE else "")),
    )  # fmt: skip


def totals(project: Project) -> tuple[tuple[str, str], ...]:
    """Return what the chosen parts cost, weigh and draw together, in words; a nine-axis board counts once."""
    parts = project.parts
    names = {(k, getattr(parts, k)) for k in KIND_TITLES if getattr(parts, k)}
    chosen = [p for p in available(project) if (p.kind, p.name) in names]
    out = []
    for title, figure, scale, unit in (
        ("Price", "price", 1, "cr"),
        ("Mass", "mass", 1e3, "g"),
        ("Current", "current", 1e3, "mA"),
    ):
        out.append((title, f"{scale * sum(p.figures.get(figure, 0.0) for p in chosen):.4g} {unit}"))
    return tuple(out)


def modes_of(project: Project) -> list[dict[str, str]]:
    """Return which sensors the wanted modes ask for, and why, as plain data."""
    return [
        {"sensor": SENSORS[sensor], "need": entry.need, "mode": MODES[mode], "reason": entry.reason}
        for sensor, (mode, entry) in sensors_for(project.brief.modes).items()
    ]
