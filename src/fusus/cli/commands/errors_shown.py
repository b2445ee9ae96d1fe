"""Errors as people read them: angles in degrees, and tables of a width that a terminal has."""

import math
from typing import Any

import typer

DEGREES = ("tilt", "heading")


def in_degrees(quantity: str, value: float | None) -> float | None:
    """Return an SI error as people read it: angles in degrees."""
    if value is None or not math.isfinite(value):
        return None
    return float(f"{math.degrees(value) if quantity in DEGREES else value:.6g}")


def named(quantity: str) -> str:
    return (
        f"{quantity}_deg"
        if quantity in DEGREES
        else f"{quantity}_m_s"
        if quantity in ("velocity", "climb")
        else f"{quantity}_m"
    )


def measured(given: Any) -> dict[str, str]:
    return {"measured_against": given.measured_by or given.reference_is}


def tell_measure(given: Any) -> None:
    if given.measured_by:
        typer.echo(f"measured against {given.measured_by}, for want of a reference: it is no truth")


def print_table(table: Any) -> None:
    from rich.console import Console

    Console(width=150).print(table)


def cell(quantity: str, value: float) -> str:
    shown = in_degrees(quantity, value)
    if shown is None:
        return "–"
    return (
        f"{shown:.2f}°" if quantity in DEGREES else f"{shown:.2f} m/s" if quantity == "velocity" else f"{shown:.2f} m"
    )
