"""How a part sits on its pads, seen in a picture: moved and turned until its outline lies on the
picture, then every joint's overhang, end and overlap in mm, held against what counts as good.

Seen from straight above; a body that stands 0.5 mm up seems 0.09 mm off when looked at 10° aslant.
"""

import math
from dataclasses import dataclass

import numpy as np

from yellowfen.core.board.board import BoardPart
from yellowfen.core.look.acceptance import Criterion, Limits, criteria, shape_of
from yellowfen.core.look.picture_fit import (
    LEAST_EDGES,
    Array,
    PictureFit,
    blurred,
    edges_of,
    sampled,
    scale_at,
    steps_found,
    to_picture,
)
from yellowfen.core.part.package import HIDDEN, JointKind, Land, Package
from yellowfen.core.quantity.number import in_range
from yellowfen.core.quantity.units import MM, with_unit

Ring = tuple[tuple[float, float], ...]
FURTHEST_MM = 5.0
LEADED = (JointKind.GULL_WING, JointKind.J_LEAD)


@dataclass(frozen=True)
class Pose:
    """How a part sits: shift in its own frame (mm) and turn (degrees, anticlockwise) from where it
    belongs. Raises InvalidValue outside of 5 mm and 180°.
    """

    dx_mm: float = 0.0
    dy_mm: float = 0.0
    turn_deg: float = 0.0

    def __post_init__(self) -> None:
        in_range("dx_mm", self.dx_mm, -FURTHEST_MM, FURTHEST_MM)
        in_range("dy_mm", self.dy_mm, -FURTHEST_MM, FURTHEST_MM)
        in_range("turn_deg", self.turn_deg, -180.0, 180.0)

    def moved(self, places: Array) -> Array:
        """Places of the part's frame (n, 2) where the pose puts them, in that frame."""
        angle = math.radians(self.turn_deg)
        c, s = math.cos(angle), math.sin(angle)
        turned = places @ np.array([[c, s], [-s, c]])
        return np.asarray(turned + np.array((self.dx_mm, self.dy_mm)))


def on_board(part: BoardPart, places: Array) -> Array:
    """Places of a part's own frame (n, 2) on the board, mm."""
    below = part.side != "top"
    angle = math.radians(180.0 - part.rotation_deg if below else part.rotation_deg)
    c, s = math.cos(angle), math.sin(angle)
    flat = places * np.array((1.0, -1.0)) if below else places
    return np.asarray(flat @ np.array([[c, s], [-s, c]]) + np.array((part.x_mm, part.y_mm)))


def in_part(part: BoardPart, places: Array) -> Array:
    """Places of the board (n, 2) in a part's own frame, mm."""
    below = part.side != "top"
    angle = math.radians(180.0 - part.rotation_deg if below else part.rotation_deg)
    c, s = math.cos(angle), math.sin(angle)
    flat = (places - np.array((part.x_mm, part.y_mm))) @ np.array([[c, -s], [s, c]])
    return np.asarray(flat * np.array((1.0, -1.0)) if below else flat)


def _box(x0: float, y0: float, x1: float, y1: float) -> Ring:
    return ((x0, y0), (x1, y0), (x1, y1), (x0, y1))


def body_ring(package: Package) -> Ring:
    """A body's outline in its own frame, mm."""
    x, y = package.body_x_mm / 2, package.body_y_mm / 2
    return _box(-x, -y, x, y)


def same_turned(package: Package) -> bool:
    """True for lands that look the same with the part turned by half."""
    lands = {
        tuple(round(v, 2) + 0.0 for v in (one.x_mm, one.y_mm, one.size_x_mm, one.size_y_mm))
        for one in package.lands
    }
    return {(0.0 - x, 0.0 - y, a, b) for x, y, a, b in lands} == lands


def end_ring(package: Package, land: Land) -> Ring | None:
    """What of a part stands on one land, seen from above: a lead's foot, a chip's or leadless
    part's end; None for what is hidden. A foot is taken to lie in the middle of its land's length.
    """
    if land.kind in HIDDEN or land.kind is JointKind.THROUGH_HOLE:
        return None
    shape = shape_of(package, land)
    sideways = package.beside(land)
    out, across = (land.x_mm, land.y_mm) if sideways else (land.y_mm, land.x_mm)
    sign = 1.0 if out >= 0 else -1.0
    far = abs(out) + shape.land_long / 2
    if land.kind in LEADED:
        toe = far - (shape.land_long - shape.foot) / 2
        near, half = toe - shape.foot, shape.lead_wide / 2
    else:
        toe = (package.body_x_mm if sideways else package.body_y_mm) / 2
        near, half = toe - shape.foot, min(shape.lead_wide, 10.0) / 2
        across = across if len(package.lands) > 2 else 0.0
    a, b = sorted((sign * near, sign * toe))
    return (
        _box(a, across - half, b, across + half)
        if sideways
        else _box(across - half, a, across + half, b)
    )


def hides(part: BoardPart, pose: Pose, grown_mm: float = 0.03) -> dict[str, Ring]:
    """What a part hides of the board as the pose puts it: its body (under "") and its leads' feet
    by pin, a little grown, as outlines on the board.
    """
    x, y = part.package.body_x_mm / 2, part.package.body_y_mm / 2
    boxes = {"": (-x, -y, x, y)}
    for land in part.package.lands:
        ring = end_ring(part.package, land) if land.kind in LEADED else None
        if ring is not None:
            boxes[land.pin] = (*ring[0], *ring[2])
    g = grown_mm
    found = {}
    for pin, (x0, y0, x1, y1) in boxes.items():
        places = on_board(part, pose.moved(np.array(_box(x0 - g, y0 - g, x1 + g, y1 + g))))
        found[pin] = tuple((float(a), float(b)) for a, b in places)
    return found


# what the picture says
def seated(
    image: Array, fit: PictureFit, part: BoardPart, start: Pose, reach_mm: float = 0.25
) -> Pose | None:
    """The pose nearest to `start` at which the outlines of body and leads lie on edges of the
    picture; None where too few are found.
    """
    package = part.package
    rings = [body_ring(package)]
    ends = [end_ring(package, land) for land in package.lands if land.kind in LEADED]
    rings += [ring for ring in ends if ring is not None]
    px_mm = scale_at(fit, part.x_mm, part.y_mm)
    edges = edges_of(rings, 1.5 / px_mm)
    smooth = blurred(image, 1)
    pose = start
    signs = np.zeros(len(edges.places))
    for reach in (1.0, 0.7, 0.5, 0.35, 0.25, 0.2):
        found = _nudged(
            smooth,
            fit,
            part,
            pose=pose,
            places=edges.places,
            outward=edges.outward,
            signs=signs,
            reach_px=max(reach * reach_mm * px_mm, 2.5),
        )
        if found is None:
            return None
        pose = found
    return pose


def _nudged(
    image: Array,
    fit: PictureFit,
    part: BoardPart,
    pose: Pose,
    places: Array,
    outward: Array,
    signs: Array,
    reach_px: float,
) -> Pose | None:
    def seen(one: Pose, at: Array) -> Array:
        return to_picture(fit, on_board(part, one.moved(at)))

    here = seen(pose, places)
    along = seen(pose, places + 0.05 * np.column_stack((-outward[:, 1], outward[:, 0]))) - here
    normals = np.column_stack((along[:, 1], -along[:, 0]))
    normals /= np.maximum(np.hypot(*normals.T), 1e-12)[:, None]
    miss, steep = steps_found(image, here, normals, np.full(len(here), reach_px), 0)
    good = np.isfinite(miss) & np.isfinite(sampled(image, here))
    if good.sum() < LEAST_EDGES // 2:
        return None
    tiny = 1e-4
    columns = [
        np.sum((seen(changed, places) - here) * normals, axis=1) / tiny
        for changed in (
            Pose(pose.dx_mm + tiny, pose.dy_mm, pose.turn_deg),
            Pose(pose.dx_mm, pose.dy_mm + tiny, pose.turn_deg),
            Pose(pose.dx_mm, pose.dy_mm, pose.turn_deg + tiny),
        )
    ]
    slopes = np.column_stack(columns)
    miss = np.where(good, miss, 0.0)
    weights = np.where(good, np.minimum(steep / max(float(np.median(steep[good])), 1e-9), 2.0), 0.0)
    move = np.zeros(3)
    for _ in range(8):
        left = miss - slopes @ move
        spread = 1.4826 * float(np.median(np.abs(left[good]))) + 0.2
        bounded = np.where(np.abs(left) < 3 * spread, (1 - (left / (3 * spread)) ** 2) ** 2, 0.0)
        heavy = slopes * (weights * bounded)[:, None]
        normal = slopes.T @ heavy
        move = np.linalg.solve(normal + 1e-9 * np.trace(normal) * np.eye(3), heavy.T @ miss)
    if (
        not np.isfinite(move).all()
        or np.hypot(*(pose.dx_mm + move[0], pose.dy_mm + move[1])) > FURTHEST_MM
    ):
        return None
    return Pose(
        float(pose.dx_mm + move[0]),
        float(pose.dy_mm + move[1]),
        float((pose.turn_deg + move[2] + 180.0) % 360.0 - 180.0),
    )


# what that means
@dataclass(frozen=True, kw_only=True)
class JointSeen:
    """One joint as the pose leaves it, mm: over the land's side, beyond its outer end, how much of
    the end lies on the land, the width left for solder; the criteria, and the verdict proposed ("":
    good as far as this view goes); `near` a limit by less than the error of the pose, so that
    neither is to be told.
    """

    pin: str
    side_mm: float
    end_mm: float
    overlap_mm: float
    width_mm: float
    limits: tuple[Criterion, ...]
    verdict: str
    share: float
    near: bool = False

    @property
    def says(self) -> str:
        side = next((one for one in self.limits if one.name == "side overhang"), None)
        shares = f", {100 * self.share:.0f} % of what is allowed" if side and side.limit_mm else ""
        return f"{with_unit(self.side_mm, MM, 2)} over the side{shares}"


def joints_seen(
    package: Package,
    pose: Pose,
    grade: int = 2,
    by: Limits | None = None,
    error_mm: float = 0.0,
) -> tuple[JointSeen, ...]:
    """Every joint that can be seen, as the pose leaves it; by a class of 1 to 3 and its limits. The
    pose is known to `error_mm`.
    """
    found = []
    for land in package.lands:
        ring = end_ring(package, land)
        if ring is not None:
            found.append(_joint_seen(package, land, ring, pose, grade, by=by, error_mm=error_mm))
    return tuple(found)


def _joint_seen(
    package: Package,
    land: Land,
    ring: Ring,
    pose: Pose,
    grade: int,
    *,
    by: Limits | None,
    error_mm: float,
) -> JointSeen:
    sideways = package.beside(land)
    sign = 1.0 if (land.x_mm if sideways else land.y_mm) >= 0 else -1.0
    away = pose.moved(np.array(ring)) - np.array((land.x_mm, land.y_mm))
    out, across = (away[:, 0], away[:, 1]) if sideways else (away[:, 1], away[:, 0])
    half_long, half_wide = (
        (land.size_x_mm / 2, land.size_y_mm / 2)
        if sideways
        else (land.size_y_mm / 2, land.size_x_mm / 2)
    )
    wide = float(np.ptp(np.array(ring)[:, 1 if sideways else 0]))
    free = max(
        wide / 2 - half_wide, 0.0
    )  # a part wider than its land stands over it when it sits well
    side = max(float(np.abs(across).max()) - half_wide - free, 0.0)
    toe, heel = float((sign * out).max()), float((sign * out).min())
    end = toe - half_long
    lies = min(toe, half_long) - max(heel, -half_long)
    limits = criteria(package, land.pin, grade, by)
    width = max(min(wide, 2 * half_wide) - side, 0.0)
    measured = {"side overhang": side, "end overhang": end - 0.005, "end joint width": width}

    def wrong(by_mm: float) -> bool:
        """Whether it is bad with everything by so much better."""
        met = (
            one.meets(measured[one.name] + (-by_mm if one.at_most else by_mm))
            for one in limits
            if one.name in measured
        )
        return not all(met) or lies + by_mm <= 1e-9

    bad, near = wrong(1e-9), wrong(error_mm + 1e-9) != wrong(1e-9 - error_mm)
    most = next((one.limit_mm for one in limits if one.name == "side overhang"), 0.0)
    return JointSeen(
        pin=land.pin,
        side_mm=side,
        end_mm=max(end, 0.0),
        overlap_mm=max(lies, 0.0),
        width_mm=width,
        limits=limits,
        verdict="skewed" if bad and not near else "",
        share=side / most if most else 0.0,
        near=near,
    )
