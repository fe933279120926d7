"""A package as a small paper drawing with its lands, and its facts in one line."""

from markupsafe import Markup

from yellowfen.core.part.direction import direction_of
from yellowfen.core.part.moisture import floor_life_of
from yellowfen.core.part.package import Package
from yellowfen.core.quantity.units import CELSIUS, MM, with_unit
from yellowfen.core.quantity.wording import mass_words


def package_drawing(package: Package) -> Markup:
    """Top view, the body over its lands, scaled to fit."""
    reach_x = max(
        [package.body_x_mm / 2, *(abs(land.x_mm) + land.size_x_mm / 2 for land in package.lands)]
    )
    reach_y = max(
        [package.body_y_mm / 2, *(abs(land.y_mm) + land.size_y_mm / 2 for land in package.lands)]
    )
    reach = max(reach_x, reach_y) * 1.08
    lands = "".join(
        f'<rect class="pad" x="{land.x_mm - land.size_x_mm / 2:.3f}" y="{-land.y_mm - land.size_y_mm / 2:.3f}" width="{land.size_x_mm:.3f}" height="{land.size_y_mm:.3f}"/>'
        for land in package.lands
    )
    body = (
        f'<circle class="drawn-body" r="{package.body_x_mm / 2:.3f}"/>'
        if package.family == "can"
        else f'<rect class="drawn-body" x="{-package.body_x_mm / 2:.3f}" y="{-package.body_y_mm / 2:.3f}" width="{package.body_x_mm:.3f}" height="{package.body_y_mm:.3f}"/>'
    )
    dot = _first_pin(package, reach) if direction_of(package) else ""
    return Markup(
        f'<svg class="package" viewBox="{-reach:.3f} {-reach:.3f} {2 * reach:.3f} {2 * reach:.3f}" aria-hidden="true">{lands}{body}{dot}</svg>'
    )


def _first_pin(package: Package, reach: float) -> str:
    """A dot inside the body, towards pin 1."""
    first = next((land for land in package.lands if land.pin in ("1", "A1")), None)
    if first is None:
        return ""
    x, y = (
        max(-0.34 * size, min(0.34 * size, 0.62 * at))
        for size, at in ((package.body_x_mm, first.x_mm), (package.body_y_mm, -first.y_mm))
    )
    return f'<circle class="drawn-first" cx="{x:.3f}" cy="{y:.3f}" r="{reach * 0.06:.3f}"/>'


def package_facts(package: Package) -> str:
    """Size, pitch, limit and what to mind, in a few words."""
    said = [f"{package.body_x_mm:g} × {package.body_y_mm:g} × {with_unit(package.height_mm, MM)}"]
    if len(package.lands) > 2:
        said.append(f"{len(package.lands)} pads, {with_unit(package.pitch_mm, MM, '.3g')} apart")
    said.append(mass_words(package.mass_mg))
    if package.iron_only:
        said.append("iron only")
    else:
        said.append(f"body to {with_unit(package.limit_c, CELSIUS, 0)}")
    if package.hidden_joints:
        said.append("hidden joints")
    life = floor_life_of(package)
    if life is not None:
        said.append(f"moisture {life.name}{' assumed' if life.assumed else ''}")
    return ", ".join(said)
