"""The stepping kernel: board cells explicit, parts and joints implicit, melting by enthalpy.

Laws:
* Every flux is computed once and used on both sides, so energy is conserved to rounding.
* Temperatures are kelvins above ambient. Board cells are flat padded arrays, one row of cells after
  the other with a ghost ring of zero conductance; node layers lie at the surfaces and evenly between.
* A cell's heat capacity is c0·(1 + slope·θ); its inverse uses one correction term (error ~
  (slope·Δθ)²).
* Only the faces carry fast heat: they take several short steps inside one long step, in which the
  heat between node layers stands still at its value for the step's middle (two-step extrapolation),
  the same on both sides.
* A joint is its enthalpy H above its solidus: solid below 0, melting from 0 to L, liquid above.
* A body is two nodes: a shell in the air and a core on the leads; solved with its joints in one
  implicit step, which stands in the middle of the faces' short steps, so that the coupling is of
  second order.
* Plated holes are so conductive that their columns are solved implicitly, as often within a long
  step as they need.
* Surface coefficients (jet, surroundings, radiation) are refreshed every few long steps, between
  which the nozzle moves a millimetre or two; the flux used is the flux counted.

Longer than a page because it is one loop nest that has to be compiled as one; each part says what
it is.
"""

import math

import numba
import numpy as np

from yellowfen.core.heat.kernel_tables import (
    AIR_LOW,
    AIR_TOP,
    B_HALF_X,
    B_HALF_Y,
    B_HEAT,
    B_JET_AREA,
    B_LIMIT,
    B_LOSS_AREA,
    B_OPEN,
    B_PLATE_W_K,
    B_SHELL_HEAT,
    B_SHELL_W_K,
    B_TOP,
    B_X,
    B_Y,
    BODY_NOW,
    E_JET,
    E_LOST,
    FORCED_LOW,
    FORCED_TOP,
    J_AIR_AREA,
    J_HEAT,
    J_LATENT,
    J_LEAD,
    J_OPEN,
    J_PER_HEAT,
    J_RANGE,
    J_SOLIDUS,
    J_TIP_W_K,
    J_TOP,
    J_X,
    J_Y,
    JET_H,
    JET_K,
    JET_SPREAD,
    JET_WARMTH,
    JET_WARMTH_RADIUS,
    JOINT_NOW,
    LIT,
    M_XX,
    M_XY,
    M_YY,
    MACROS,
    N_BASE_W_K,
    N_CORE_RATE_W_K,
    N_EASE,
    N_HOLD_W_K,
    N_HOT_W_K,
    N_JET_W,
    N_JET_W_K,
    N_LOSS_W_K,
    N_SHELL_EASE,
    N_SHELL_JET_W_K,
    N_SHELL_LOSS_W_K,
    N_SHELL_RATE_W_K,
    N_SHELL_SHARE,
    N_TIP_W_K,
    N_TOTAL_W_K,
    N_WARM_W,
    NEVER,
    NOZZLE_X,
    NOZZLE_Y,
    ON_PLATE,
    P_BAND_K,
    P_GAIN_W_K,
    P_HEAT,
    P_INTEGRAL_S,
    P_KIND,
    P_LOSS_W_K,
    P_POWER,
    PLATE_SET,
    R_ABOVE,
    R_BODY_PEAK,
    R_COUNTED,
    R_FREEZE,
    R_LIMIT_AT,
    R_MELT_END,
    R_MELT_START,
    R_MELTS,
    R_OVER_S,
    R_PEAK,
    REFRESH,
    REST_K,
    REST_W_M2K,
    S_PLATE_J,
    S_PLATE_K,
    S_PLATE_ON,
    S_PLATE_SUM,
    SECONDS,
    SUBS,
    TIP_ON,
    WALL_LOW,
    WALL_TOP,
)

_MATH = {"contract", "reassoc", "nsz", "arcp"}
# Without reassociation, so that the many loops over two or three links are not vectorised, which
# would slow them.
_SHORT_LOOPS = {"contract", "nsz", "arcp"}
# How often a body is solved again with joints that change phase, at most; two rounds are usual.
MOST_ROUNDS = 16
# A column is solved again once its quickest tie, 2g/C, has gone through this many time constants.
COLUMN_PACE = 0.5
# How long the columns' heat capacities are taken as they were, s; heat is conserved whatever they
# are.
COLUMNS_STAND_S = 0.5
ONE = np.uint64(1)


@numba.njit(cache=True, fastmath=_MATH, error_model="numpy", inline="always")
def joint_temperature(
    enthalpy: float, per_heat: float, latent: float, solidus: float, melt_range: float
) -> float:
    """Temperature above ambient of a joint with this enthalpy (J above its solidus); `per_heat`
    K/J.
    """
    if enthalpy < 0.0:
        return solidus + enthalpy * per_heat
    if enthalpy <= latent:
        return solidus + melt_range * enthalpy / latent
    return solidus + melt_range + (enthalpy - latent) * per_heat


@numba.njit(cache=True, fastmath=_MATH, error_model="numpy")
def _step_face(
    t, after, inward, sign, gx, gy, drive_h, drive_q, loss_h, inv_c0, slope, dt, first, last, row
):
    """One explicit step of one face, cells `first` to `last`, into `after`: conduction along it,
    heat inwards, exchange with the air.

    `row` is the way from a cell to its neighbour across. Places are unsigned, so that no index is
    asked whether it is negative and the loop vectorises. Returns (heat from sources, heat lost to
    the room), W.
    """
    one = np.float32(1.0)
    half_slope = np.float32(0.5) * slope
    gained = np.float32(0.0)
    lost = np.float32(0.0)
    for i in range(first, last):
        here = t[i]
        driven = drive_q[i] - drive_h[i] * here
        out = loss_h[i] * here
        q = (
            gx[i] * (t[i + ONE] - here)
            + gx[i - ONE] * (t[i - ONE] - here)
            + gy[i] * (t[i + row] - here)
            + gy[i - row] * (t[i - row] - here)
            + sign * inward[i]
            + driven
            - out
        )
        softening = one / (one + slope * here)
        d = dt * q * inv_c0[i] * softening
        after[i] = here + d * (one - half_slope * d * softening)
        gained += driven
        lost += out
    return gained, lost


@numba.njit(cache=True, fastmath=_MATH, error_model="numpy")
def _step_inner(t, after, from_above, to_below, gx, gy, inv_c0, slope, dt, first, last, row):
    """One explicit long step of an inner node layer, cells `first` to `last`, into `after`."""
    one = np.float32(1.0)
    half_slope = np.float32(0.5) * slope
    for i in range(first, last):
        here = t[i]
        q = (
            gx[i] * (t[i + ONE] - here)
            + gx[i - ONE] * (t[i - ONE] - here)
            + gy[i] * (t[i + row] - here)
            + gy[i - row] * (t[i - row] - here)
            + from_above[i]
            - to_below[i]
        )
        softening = one / (one + slope * here)
        d = dt * q * inv_c0[i] * softening
        after[i] = here + d * (one - half_slope * d * softening)


@numba.njit(cache=True, fastmath=_MATH, error_model="numpy")
def _between_layers(upper, lower, before, use, through, ahead, first, last):
    """Heat from one node layer to the next for the coming long step, W: the present value,
    extrapolated to its middle.
    """
    for i in range(first, last):
        flow = through * (upper[i] - lower[i])
        use[i] = flow + ahead * (flow - before[i])
        before[i] = flow


@numba.njit(cache=True, fastmath=_MATH, error_model="numpy")
def _refresh_room(theta, still, glow, convection, forced, radiation, air, wall, ambient_k):
    """Slow coefficients of one face, W/m²K: still (or forced) air, and radiation against its
    surroundings.
    """
    conv = np.float32(convection)
    least = np.float32(forced)
    rad = np.float32(radiation)
    air_k = np.float32(air)
    room = np.float32(ambient_k)
    around = np.float32(wall + ambient_k)
    for i in range(theta.shape[0]):
        here = theta[i]
        still[i] = max(conv * np.sqrt(np.sqrt(np.abs(here - air_k) + np.float32(0.01))), least)
        hot = room + here
        glow[i] = rad * (hot * hot + around * around) * (hot + around)


@numba.njit(cache=True, fastmath=_MATH, error_model="numpy")
def _refresh_jet(
    open_area,
    jet_area,
    still,
    glow,
    drive_h,
    drive_q,
    loss_h,
    cell_x,
    cell_y,
    nozzle_x,
    nozzle_y,
    jet,
):
    """Coefficients of the blown face from the nozzle's place, in a room: where the jet is stronger
    than still air it replaces it.
    """
    inv_spread2 = np.float32(1.0 / (jet[JET_SPREAD] * jet[JET_SPREAD]))
    inv_warm2 = np.float32(1.0 / (jet[JET_WARMTH_RADIUS] * jet[JET_WARMTH_RADIUS]))
    h0 = np.float32(jet[JET_H])
    warm0 = np.float32(jet[JET_WARMTH] * jet[JET_K])
    xx = np.float32(jet[M_XX])
    xy = np.float32(jet[M_XY])
    yy = np.float32(jet[M_YY])
    one = np.float32(1.0)
    zero = np.float32(0.0)
    nx = np.float32(nozzle_x)
    ny = np.float32(nozzle_y)
    for i in range(open_area.shape[0]):
        dx = cell_x[i] - nx
        dy = cell_y[i] - ny
        r2 = xx * dx * dx + xy * dx * dy + yy * dy * dy
        blown = h0 / np.sqrt(one + r2 * inv_spread2)
        warmth = warm0 / np.sqrt(one + r2 * inv_warm2)
        jetted = blown > still[i]
        area = jet_area[i]
        here = area * blown if jetted else zero
        drive_h[i] = here
        drive_q[i] = here * warmth
        loss_h[i] = open_area[i] * glow[i] + (
            (open_area[i] - area) * still[i] if jetted else open_area[i] * still[i]
        )


@numba.njit(cache=True, fastmath=_MATH, error_model="numpy")
def _refresh_unblown(
    open_area,
    contact,
    still,
    glow,
    drive_h,
    drive_q,
    loss_h,
    air,
    wall,
    rest,
    rest_k,
    plate_k,
    sourced,
):
    """Coefficients of a face without a jet: a room that only takes (`sourced` false), or oven air,
    walls, a preheater or a plate that give.
    """
    air_k = np.float32(air)
    wall_k = np.float32(wall)
    rest_h = np.float32(rest)
    under_k = np.float32(rest_k)
    hot_k = np.float32(plate_k)
    zero = np.float32(0.0)
    for i in range(open_area.shape[0]):
        area = open_area[i]
        bond = area * contact[i]
        room = area * (still[i] + glow[i] + rest_h)
        push = area * (still[i] * air_k + glow[i] * wall_k + rest_h * under_k)
        drive_h[i] = bond + room if sourced else bond
        drive_q[i] = bond * hot_k + push if sourced else bond * hot_k
        loss_h[i] = zero if sourced else room


@numba.njit(cache=True, fastmath=_MATH, error_model="numpy")
def _jet_at(x, y, aside_x, aside_y, share, nozzle_x, nozzle_y, jet, blown, carried):
    """Add `share` of the jet at points (n) beside x, y to `blown` (W/m²K) and `carried` (that times
    its warmth's fall).
    """
    one = np.float32(1.0)
    inv_spread2 = np.float32(1.0 / (jet[JET_SPREAD] * jet[JET_SPREAD]))
    inv_warm2 = np.float32(1.0 / (jet[JET_WARMTH_RADIUS] * jet[JET_WARMTH_RADIUS]))
    h0 = np.float32(share * jet[JET_H])
    xx = np.float32(jet[M_XX])
    xy = np.float32(jet[M_XY])
    yy = np.float32(jet[M_YY])
    nx = np.float32(nozzle_x)
    ny = np.float32(nozzle_y)
    for i in range(x.shape[0]):
        dx = x[i] + aside_x[i] - nx
        dy = y[i] + aside_y[i] - ny
        r2 = xx * dx * dx + xy * dx * dy + yy * dy * dy
        h = h0 / np.sqrt(one + r2 * inv_spread2)
        blown[i] += h
        carried[i] += h / np.sqrt(one + r2 * inv_warm2)


@numba.njit(cache=True, fastmath=_MATH, error_model="numpy")
def _points_air(
    on_top,
    open_share,
    theta,
    blown,
    carried,
    here,
    jet,
    on_plate,
    convection,
    radiation,
    ambient_k,
    out,
):
    """Air at joints or bodies (n) into `out` (3, n): source h, source h·θ, loss h, per m². A plate
    keeps the air from what lies on it.
    """
    warm = jet[JET_WARMTH] * jet[JET_K]
    air_low = here[AIR_LOW]
    wall_low = here[WALL_LOW]
    forced_low = here[FORCED_LOW]
    air_more = here[AIR_TOP] - air_low
    wall_more = here[WALL_TOP] - wall_low
    forced_more = here[FORCED_TOP] - forced_low
    meets_low = 0.0 if on_plate else 1.0
    for i in range(theta.shape[0]):
        top = on_top[i]
        air = air_low + top * air_more
        wall = wall_low + top * wall_more
        still = max(
            convection * np.sqrt(np.sqrt(np.abs(theta[i] - air) + 0.01)),
            forced_low + top * forced_more,
        )
        hot = ambient_k + theta[i]
        around = ambient_k + wall
        glow = radiation * (hot * hot + around * around) * (hot + around)
        sourced = air != 0.0 or wall != 0.0
        jetted = blown[i] > still
        share = open_share[i]
        meets = top + (1.0 - top) * meets_low
        out[0, i] = meets * (still + glow if sourced else (share * blown[i] if jetted else 0.0))
        out[1, i] = meets * (
            still * air + glow * wall if sourced else (share * carried[i] * warm if jetted else 0.0)
        )
        out[2, i] = meets * (
            0.0 if sourced else (glow + (1.0 - share) * still if jetted else glow + still)
        )


@numba.njit(cache=True, fastmath=_MATH, error_model="numpy", inline="always")
def _take(theta, i, cooling, slope):
    """Cool one cell of a layer by a heat given as kelvins at its cold heat capacity."""
    one = np.float32(1.0)
    soft = one / (one + slope * theta[i])
    d = cooling * soft
    theta[i] -= d * (1.0 + 0.5 * slope * d * soft)


@numba.njit(cache=True, fastmath=_MATH, error_model="numpy")
def _column_factors(both, now_in, via_cell, via_w_k, c0, inv_c0, slopes, dt, hold, ease, push):
    """Coefficients (layers, columns) of the implicit step of the columns with plated holes, for a
    step of `dt` and the heat capacities as they are now.

    The state is weighted between old and new by (3 + z)/(6 + z), z = 2g·dt/C: of second order, and
    never past equilibrium by more than a fifth of the way, however conductive the holes are.
    """
    layers = now_in.shape[0]
    for v in range(via_cell.shape[0]):
        i = via_cell[v]
        g = via_w_k[v]
        quickest = inv_c0[0, i]
        for layer in range(1, layers):
            quickest = max(quickest, inv_c0[layer, i])
        z = 2.0 * g * dt * quickest
        per_dt = (6.0 + z) / ((3.0 + z) * dt)
        for layer in range(layers):
            held = c0[layer, i] * (1.0 + slopes[layer] * both[now_in[layer], layer, i]) * per_dt
            hold[layer, v] = held
            push[layer, v] = g * dt * inv_c0[layer, i]
            if layer > 0:
                held += g - g * g * ease[layer - 1, v]
            if layer < layers - 1:
                held += g
            ease[layer, v] = 1.0 / held


@numba.njit(cache=True, fastmath=_MATH, error_model="numpy")
def _down_columns(level, hold, before, via_w_k, ease_above, level_above):
    """Forward elimination of one layer of all columns; loops over rows alone vectorise only where
    each row is an argument of its own.
    """
    for v in range(level.shape[0]):
        level[v] = hold[v] * before[v] + via_w_k[v] * ease_above[v] * level_above[v]


@numba.njit(cache=True, fastmath=_MATH, error_model="numpy")
def _up_columns(level, via_w_k, level_below, ease):
    """Back substitution of one layer of all columns."""
    for v in range(level.shape[0]):
        level[v] = (level[v] + via_w_k[v] * level_below[v]) * ease[v]


@numba.njit(cache=True, fastmath=_MATH, error_model="numpy")
def _columns(both, now_in, via_cell, via_w_k, slopes, hold, ease, push, before, level):
    """One implicit step of the columns with plated holes; fluxes from the weighted state, used on
    both sides, so heat is conserved whatever the coefficients. Loops run over columns, so that they
    vectorise; `before` and `level` (layers, columns) are room to work in, `push` is g·dt/c0.
    """
    layers = now_in.shape[0]
    bottom = layers - 1
    columns = via_cell.shape[0]
    one = np.float32(1.0)
    half = np.float32(0.5)
    two = np.float32(2.0)
    for layer in range(layers):
        here = both[now_in[layer], layer]
        for v in range(columns):
            before[layer, v] = here[via_cell[v]]
    for v in range(columns):
        level[0, v] = hold[0, v] * before[0, v]
    for layer in range(1, layers):
        _down_columns(
            level[layer], hold[layer], before[layer], via_w_k, ease[layer - 1], level[layer - 1]
        )
    for v in range(columns):
        level[bottom, v] *= ease[bottom, v]
    for layer in range(bottom - 1, -1, -1):
        _up_columns(level[layer], via_w_k, level[layer + 1], ease[layer])
    for layer in range(layers):
        here = both[now_in[layer], layer]
        slope = slopes[layer]
        above = max(layer - 1, 0)
        below = min(layer + 1, bottom)
        for v in range(columns):
            began = before[layer, v]
            soft = one / (one + slope * began)
            flow = level[above, v] + level[below, v] - two * level[layer, v]
            d = push[layer, v] * flow * soft
            before[layer, v] = began + d * (one - half * slope * d * soft)
        for v in range(columns):
            here[via_cell[v]] = before[layer, v]


@numba.njit(cache=True, fastmath=_SHORT_LOOPS, error_model="numpy")
def _joint_after(before, drive, total, dt, latent, solidus, melt, relax):
    """Enthalpy of a joint at the step's end under a drive (W): implicit and in closed form, solid,
    melting or liquid.
    """
    after = (before + dt * (drive - total * solidus)) * relax
    if after > 0.0:
        after = latent + (before - latent + dt * (drive - total * (solidus + melt))) * relax
        if after < latent:
            after = (before + dt * (drive - total * solidus)) / (1.0 + dt * total * melt / latent)
    return after


@numba.njit(cache=True, fastmath=_SHORT_LOOPS, error_model="numpy")
def _phase(enthalpy, latent):
    """0 solid, 1 melting, 2 liquid."""
    return 0 if enthalpy < 0.0 else (1 if enthalpy <= latent else 2)


@numba.njit(cache=True, fastmath=_SHORT_LOOPS, error_model="numpy")
def _lean(phase, before, source, lead, total, dt, base, per_heat, latent, solidus, melt, ease):
    """A joint's temperature at the step's end as a + b·(its body's), if it ends in this phase."""
    if phase == 1:
        softness = melt / (latent + dt * total * melt)
        return solidus + softness * (before + dt * (source - total * solidus)), softness * dt * lead
    began = (
        solidus + before * per_heat if phase == 0 else solidus + melt + (before - latent) * per_heat
    )
    return (base * began + source) * ease, lead * ease


@numba.njit(cache=True, fastmath=_SHORT_LOOPS, error_model="numpy")
def _rates(
    joints,
    joint_of_body,
    joint_air,
    link_sum,
    bodies,
    body_air,
    gap_sum,
    body_dt,
    tip_on,
    plate_on,
    joint_now,
    body_now,
):
    """What stays the same in the parts' steps until the air is looked at again: sums of ties and
    the weights of old states, `joint_now` (joints, JOINT_NOW) and `body_now` (bodies, BODY_NOW).
    """
    for b in range(bodies.shape[0]):
        per_dt = 1.0 / body_dt[b]
        leads = 0.0
        for j in range(joint_of_body[b], joint_of_body[b + 1]):
            area = joints[j, J_AIR_AREA]
            lead = joints[j, J_LEAD]
            tip = tip_on * joints[j, J_TIP_W_K]
            base = joints[j, J_HEAT] * per_dt
            total = link_sum[j] + lead + tip + area * (joint_air[0, j] + joint_air[2, j])
            leads += lead
            joint_now[j, N_TOTAL_W_K] = total
            joint_now[j, N_EASE] = 1.0 / (base + total)
            joint_now[j, N_WARM_W] = area * joint_air[1, j]
            joint_now[j, N_BASE_W_K] = base
            joint_now[j, N_JET_W_K] = area * joint_air[0, j]
            joint_now[j, N_LOSS_W_K] = area * joint_air[2, j]
            joint_now[j, N_TIP_W_K] = tip
        jet = bodies[b, B_JET_AREA] * body_air[0, b]
        loss = bodies[b, B_LOSS_AREA] * body_air[2, b]
        hot = plate_on * bodies[b, B_PLATE_W_K]
        # The shell as a + b·core, then the core with its joints.
        tie = bodies[b, B_SHELL_W_K]
        shell_w_k = jet + loss + hot + tie
        shell_z = shell_w_k / (bodies[b, B_SHELL_HEAT] * per_dt)
        shell_rate = bodies[b, B_SHELL_HEAT] * per_dt * (6.0 + shell_z) / (3.0 + shell_z)
        shell_ease = 1.0 / (shell_rate + shell_w_k)
        core_z = (gap_sum[b] + tie + leads) / (bodies[b, B_HEAT] * per_dt)
        core_rate = bodies[b, B_HEAT] * per_dt * (6.0 + core_z) / (3.0 + core_z)
        body_now[b, N_JET_W] = bodies[b, B_JET_AREA] * body_air[1, b]
        body_now[b, N_SHELL_JET_W_K] = jet
        body_now[b, N_SHELL_LOSS_W_K] = loss
        body_now[b, N_HOT_W_K] = hot
        body_now[b, N_SHELL_RATE_W_K] = shell_rate
        body_now[b, N_SHELL_EASE] = shell_ease
        body_now[b, N_SHELL_SHARE] = tie * shell_ease
        body_now[b, N_CORE_RATE_W_K] = core_rate
        body_now[b, N_HOLD_W_K] = core_rate + gap_sum[b] + tie * (1.0 - tie * shell_ease)


@numba.njit(cache=True, fastmath=_SHORT_LOOPS, error_model="numpy")
def _solve_parts(
    top,
    low,
    inv_top,
    inv_low,
    slope_top,
    slope_low,
    joints,
    joint_of_body,
    joint_links,
    link_cell,
    link_w_k,
    bodies,
    gap_links,
    gap_cell,
    gap_w_k,
    joint_now,
    body_now,
    joint_enthalpy,
    joint_theta,
    body_theta,
    body_seen,
    joint_record,
    body_record,
    energy,
    source,
    phases,
    ends,
    link_theta,
    gap_theta,
    tip_k,
    met,
    pace,
    macro,
    long_dt,
):
    """One implicit step of every body with its joints; moments of melting are noted.

    The board is taken as it stands after its own steps; what parts take from it is taken from the
    faces at once, from the temperatures that their solve saw. A node of a body is weighted between
    its old and new state by (3 + z)/(6 + z), z = dt/τ with every tie counted in full: of second
    order, and it never overshoots, whatever its joints do. Each joint is in closed form; a body and
    its joints are found together: where a joint enters another phase than was assumed, the body is
    solved again with it (its balance falls with its temperature, so Newton's steps are kept inside
    a bracket). `body_seen` holds the weighted value, which belongs with the faces' moment and is
    what records and curves show. `tip_k` is the iron's tip or the plate beneath; what is tied to it
    stands in `joint_now` and `body_now`. A body steps `pace` long steps at once, in the middle one
    of them. Returns the heat that tip or plate gives, W.
    """
    n_bodies = bodies.shape[0]
    given = 0.0
    put_in = 0.0
    lost = 0.0
    for b in range(n_bodies):
        if macro % pace[b] != pace[b] // 2:
            continue
        dt = pace[b] * long_dt
        now = met - dt
        on_top = bodies[b, B_TOP] > 0.5
        face = top if on_top else low
        inv_c0 = inv_top if on_top else inv_low
        slope = slope_top if on_top else slope_low
        first, last = joint_of_body[b], joint_of_body[b + 1]
        q_jet = body_now[b, N_JET_W]
        k_hot = body_now[b, N_HOT_W_K]
        tie = bodies[b, B_SHELL_W_K]
        shell_b = body_now[b, N_SHELL_SHARE]
        shell_a = (
            body_now[b, N_SHELL_RATE_W_K] * body_theta[b, 1] + q_jet + k_hot * tip_k
        ) * body_now[b, N_SHELL_EASE]
        own_push = tie * shell_a + body_now[b, N_CORE_RATE_W_K] * body_theta[b, 0]
        own_hold = body_now[b, N_HOLD_W_K]
        for g in range(gap_links[b], gap_links[b + 1]):
            gap_theta[g] = face[gap_cell[g]]
            own_push += gap_w_k[g] * gap_theta[g]
        push = 0.0
        hold = 0.0
        for j in range(first, last):
            lead = joints[j, J_LEAD]
            warm = joint_now[j, N_WARM_W] + joint_now[j, N_TIP_W_K] * tip_k
            for g in range(joint_links[j], joint_links[j + 1]):
                link_theta[g] = face[link_cell[g]]
                warm += link_w_k[g] * link_theta[g]
            source[j] = warm
            phases[j] = _phase(joint_enthalpy[j], joints[j, J_LATENT])
            lean_a, lean_b = _lean(
                phases[j],
                joint_enthalpy[j],
                warm,
                lead,
                joint_now[j, N_TOTAL_W_K],
                dt,
                joint_now[j, N_BASE_W_K],
                joints[j, J_PER_HEAT],
                joints[j, J_LATENT],
                joints[j, J_SOLIDUS],
                joints[j, J_RANGE],
                joint_now[j, N_EASE],
            )
            push += lead * lean_a
            hold += lead * (1.0 - lean_b)
        guess = (own_push + push) / (own_hold + hold)
        settled = False
        lowest = -1e9
        highest = 1e9
        for _ in range(MOST_ROUNDS):
            settled = True
            for j in range(first, last):
                ends[j] = _joint_after(
                    joint_enthalpy[j],
                    source[j] + joints[j, J_LEAD] * guess,
                    joint_now[j, N_TOTAL_W_K],
                    dt,
                    joints[j, J_LATENT],
                    joints[j, J_SOLIDUS],
                    joints[j, J_RANGE],
                    1.0 - joint_now[j, N_TOTAL_W_K] * joint_now[j, N_EASE],
                )
                phase = _phase(ends[j], joints[j, J_LATENT])
                if phase != phases[j]:
                    settled = False
                    phases[j] = phase
            if settled:
                break
            push = 0.0
            hold = 0.0
            for j in range(first, last):
                lead = joints[j, J_LEAD]
                lean_a, lean_b = _lean(
                    phases[j],
                    joint_enthalpy[j],
                    source[j],
                    lead,
                    joint_now[j, N_TOTAL_W_K],
                    dt,
                    joint_now[j, N_BASE_W_K],
                    joints[j, J_PER_HEAT],
                    joints[j, J_LATENT],
                    joints[j, J_SOLIDUS],
                    joints[j, J_RANGE],
                    joint_now[j, N_EASE],
                )
                push += lead * lean_a
                hold += lead * (1.0 - lean_b)
            if own_push + push > (own_hold + hold) * guess:
                lowest = guess
            else:
                highest = guess
            guess = (own_push + push) / (own_hold + hold)
            if not (lowest < guess < highest):
                guess = 0.5 * (lowest + highest)
        if not settled:
            for j in range(first, last):
                ends[j] = _joint_after(
                    joint_enthalpy[j],
                    source[j] + joints[j, J_LEAD] * guess,
                    joint_now[j, N_TOTAL_W_K],
                    dt,
                    joints[j, J_LATENT],
                    joints[j, J_SOLIDUS],
                    joints[j, J_RANGE],
                    1.0 - joint_now[j, N_TOTAL_W_K] * joint_now[j, N_EASE],
                )
        shell = shell_a + shell_b * guess
        flow = tie * (shell - guess)
        hot_given = k_hot * (tip_k - shell)
        given += hot_given
        put_in += dt * (q_jet - body_now[b, N_SHELL_JET_W_K] * shell + hot_given)
        lost += dt * body_now[b, N_SHELL_LOSS_W_K] * shell
        for g in range(gap_links[b], gap_links[b + 1]):
            i = gap_cell[g]
            q = gap_w_k[g] * (gap_theta[g] - guess)
            flow += q
            _take(face, i, dt * q * inv_c0[i], slope)
        for j in range(first, last):
            latent = joints[j, J_LATENT]
            lead = joints[j, J_LEAD]
            before = joint_enthalpy[j]
            after = ends[j]
            hot = joint_temperature(
                after, joints[j, J_PER_HEAT], latent, joints[j, J_SOLIDUS], joints[j, J_RANGE]
            )
            flow -= lead * (guess - hot)
            tip = joint_now[j, N_TIP_W_K] * (tip_k - hot)
            given += tip
            put_in += dt * (tip + joint_now[j, N_WARM_W] - joint_now[j, N_JET_W_K] * hot)
            lost += dt * joint_now[j, N_LOSS_W_K] * hot
            for g in range(joint_links[j], joint_links[j + 1]):
                i = link_cell[g]
                q = link_w_k[g] * (link_theta[g] - hot)
                _take(face, i, dt * q * inv_c0[i], slope)
            # Moments of melting and freezing, located within the step by the enthalpy's crossing. A
            # joint that warms follows the face of the step's middle, half a step late; while it
            # melts or freezes its enthalpy is exact at the step's end.
            if before >= 0.0 or after >= 0.0:
                change = after - before
                if before < 0.0 <= after:
                    if joint_record[j, R_MELT_START] < 0.0:
                        joint_record[j, R_MELT_START] = now + dt * (-before / change)
                    joint_record[j, R_FREEZE] = NEVER
                if before < latent <= after:
                    if (
                        joint_record[j, R_COUNTED] < 0.5
                    ):  # it was solid before; a dip into the mush is not another melting
                        joint_record[j, R_MELTS] += 1.0
                        joint_record[j, R_COUNTED] = 1.0
                    if joint_record[j, R_MELT_END] < 0.0:
                        joint_record[j, R_MELT_END] = now + dt * (0.5 + (latent - before) / change)
                if before > 0.0 >= after:
                    joint_record[j, R_FREEZE] = now + dt * (0.5 - before / change)
                    joint_record[j, R_COUNTED] = 0.0
                if before >= latent and after >= latent:
                    joint_record[j, R_ABOVE] += dt
                elif before >= latent or after >= latent:
                    joint_record[j, R_ABOVE] += dt * (max(before, after) - latent) / abs(change)
            joint_record[j, R_PEAK] = max(joint_record[j, R_PEAK], hot)
            joint_enthalpy[j] = after
            joint_theta[j] = hot
        body_theta[b, 0] += dt * flow / bodies[b, B_HEAT]
        body_theta[b, 1] += (
            dt
            * (
                q_jet
                + hot_given
                - (body_now[b, N_SHELL_JET_W_K] + body_now[b, N_SHELL_LOSS_W_K]) * shell
                - tie * (shell - guess)
            )
            / bodies[b, B_SHELL_HEAT]
        )
        old = body_seen[b]
        new = max(guess, shell)
        body_seen[b] = new
        if new >= bodies[b, B_LIMIT]:
            body_record[b, R_OVER_S] += dt
            if body_record[b, R_LIMIT_AT] < 0.0:
                share = (
                    (bodies[b, B_LIMIT] - old) / (new - old) if old < bodies[b, B_LIMIT] else 0.0
                )
                body_record[b, R_LIMIT_AT] = now + dt * share
        body_record[b, R_BODY_PEAK] = max(body_record[b, R_BODY_PEAK], new)
    energy[E_JET] += put_in
    energy[E_LOST] += lost
    return given


@numba.njit(cache=True, error_model="numpy")
def _ties(owner_links, cell, w_k, owners, top_at, inv_c0, steps, eff, total):
    """Conductances between parts and cells as one step of the owner's own length sees them, and
    their sums per joint or body.

    A cell gives its heat during the step, not before it: with its temperature taken half-way,
    g becomes g / (1 + g·dt / 2C), on both sides alike.
    """
    for j in range(total.shape[0]):
        layer = 0 if owners[j, top_at] > 0.5 else inv_c0.shape[0] - 1
        total[j] = 0.0
        for g in range(owner_links[j], owner_links[j + 1]):
            eff[g] = w_k[g] / (1.0 + 0.5 * w_k[g] * steps[j] * inv_c0[layer, cell[g]])
            total[j] += eff[g]


@numba.njit(cache=True, error_model="numpy")
def step_plate(state, plate, set_k, drawn_w, dt):
    """One step of the hot plate under its controller, `drawn_w` going into the board; exact for
    constant heat.

    Thermostat: on below set − band/2, off above set + band/2. Proportional-integral: power clipped,
    no wind-up.
    """
    here = state[S_PLATE_K]
    if plate[P_KIND] < 1.5:
        if here <= set_k - 0.5 * plate[P_BAND_K]:
            state[S_PLATE_ON] = 1.0
        elif here >= set_k + 0.5 * plate[P_BAND_K]:
            state[S_PLATE_ON] = 0.0
        power = state[S_PLATE_ON] * plate[P_POWER]
    else:
        error = set_k - here
        wanted = plate[P_GAIN_W_K] * (error + state[S_PLATE_SUM])
        power = min(max(wanted, 0.0), plate[P_POWER])
        if power == wanted:
            state[S_PLATE_SUM] += error * dt / plate[P_INTEGRAL_S]
    state[S_PLATE_J] += power * dt
    level = (power - drawn_w) / plate[P_LOSS_W_K]
    state[S_PLATE_K] = level + (here - level) * math.exp(-dt * plate[P_LOSS_W_K] / plate[P_HEAT])


@numba.njit(cache=True, error_model="numpy")
def _hottest(both, now_in, joint_theta, body_theta):
    """The highest temperature anywhere, K above the room."""
    top = 0.0
    for layer in range(now_in.shape[0]):
        top = max(top, both[now_in[layer], layer].max())
    for j in range(joint_theta.shape[0]):
        top = max(top, joint_theta[j])
    for b in range(body_theta.shape[0]):
        top = max(top, body_theta[b, 0], body_theta[b, 1])
    return top


@numba.njit(cache=True, fastmath=_MATH, error_model="numpy", nogil=True)
def run(
    theta,
    gx,
    gy,
    through_w_k,
    c0,
    slopes,
    open_top,
    jet_top,
    open_low,
    contact,
    cell_x,
    cell_y,
    width_cells,
    segments,
    around,
    paces,
    plate,
    plate_state,
    joints,
    joint_of_body,
    joint_links,
    link_cell,
    link_w_k,
    bodies,
    gap_links,
    gap_cell,
    gap_w_k,
    via_cell,
    via_w_k,
    joint_enthalpy,
    body_theta,
    convection_up,
    convection_down,
    radiation,
    radiates_down,
    ambient_k,
    began_s,
    settle_k,
    sample_s,
    frame_s,
    sample_times,
    joint_samples,
    body_samples,
    plate_samples,
    frames,
    joint_record,
    body_record,
    energy,
    board_peak,
):
    """Step the whole recipe.

    State arrays are changed in place; records are filled. Returns (samples, frames, face steps,
    seconds run).

    theta (layers, cells) kelvins above ambient; gx, gy (layers, cells) W/K with zeros at every
    border; through_w_k from one node layer to the next in every cell; c0 (layers, cells) J/K;
    open_top, jet_top, open_low (cells) m²; contact (cells) W/m²K to the plate; segments, around,
    joints, bodies: columns as named in kernel_tables; links as CSR (joint_links, gap_links are
    starts); body_theta (bodies, 2) core and shell. `settle_k` >= 0 ends the run early once nothing
    anywhere is hotter. Times are counted from `began_s`.
    """
    layers, cells = theta.shape
    row = width_cells + 2
    across = np.uint64(row)
    cell_first = np.uint64(row + 1)
    cell_last = np.uint64(cells - row - 1)
    both = np.empty((2, layers, cells), dtype=theta.dtype)
    now_in = np.zeros(layers, dtype=np.int64)
    inv_c0 = np.empty_like(theta)
    for layer in range(layers):
        for i in range(cells):
            inv_c0[layer, i] = 1.0 / c0[layer, i]
            both[0, layer, i] = theta[layer, i]
            both[1, layer, i] = theta[layer, i]
    drive_h = np.zeros((2, cells), dtype=theta.dtype)
    drive_q = np.zeros((2, cells), dtype=theta.dtype)
    loss_h = np.zeros((2, cells), dtype=theta.dtype)
    still = np.zeros((2, cells), dtype=theta.dtype)
    glow = np.zeros((2, cells), dtype=theta.dtype)
    flow_before = np.zeros((layers, cells), dtype=theta.dtype)
    flow = np.zeros((layers, cells), dtype=theta.dtype)
    nothing = np.zeros(cells, dtype=theta.dtype)
    n_joints = joints.shape[0]
    n_bodies = bodies.shape[0]
    joint_air = np.zeros((3, n_joints))
    body_air = np.zeros((3, n_bodies))
    joint_x, joint_y = joints[:, J_X].astype(np.float32), joints[:, J_Y].astype(np.float32)
    joint_top, joint_open = joints[:, J_TOP].copy(), joints[:, J_OPEN].copy()
    body_x, body_y = bodies[:, B_X].astype(np.float32), bodies[:, B_Y].astype(np.float32)
    body_top, body_open = bodies[:, B_TOP].copy(), bodies[:, B_OPEN].copy()
    joint_blown = np.zeros(n_joints, dtype=np.float32)
    joint_carried = np.zeros(n_joints, dtype=np.float32)
    body_blown = np.zeros(n_bodies, dtype=np.float32)
    body_carried = np.zeros(n_bodies, dtype=np.float32)
    at_joint = np.zeros(n_joints, dtype=np.float32)
    aside_x = np.empty(n_bodies, dtype=np.float32)
    aside_y = np.empty(n_bodies, dtype=np.float32)
    joint_now = np.empty((n_joints, JOINT_NOW))
    body_now = np.empty((n_bodies, BODY_NOW))
    body_seen = np.zeros(n_bodies)
    for b in range(n_bodies):
        body_seen[b] = max(body_theta[b, 0], body_theta[b, 1])
    joint_theta = np.empty(n_joints)
    for j in range(n_joints):
        joint_theta[j] = joint_temperature(
            joint_enthalpy[j],
            joints[j, J_PER_HEAT],
            joints[j, J_LATENT],
            joints[j, J_SOLIDUS],
            joints[j, J_RANGE],
        )
    quickest_via = 0.0
    for v in range(via_cell.shape[0]):
        for layer in range(layers):
            quickest_via = max(quickest_via, 2.0 * via_w_k[v] * inv_c0[layer, via_cell[v]])
    through = np.float32(through_w_k)
    bottom = layers - 1
    now = began_s
    samples = 0
    shots = 0
    total_steps = 0
    next_sample = began_s
    next_frame = began_s
    next_settle = began_s
    next_room = began_s
    next_columns = began_s
    turn = 0
    settled = False
    last_before = 1.0
    phases = np.zeros(n_joints, dtype=np.int64)
    ends = np.empty(n_joints)
    source = np.empty(n_joints)
    link_theta = np.empty(link_cell.shape[0])
    link_eff = np.empty(link_cell.shape[0])
    link_sum = np.empty(n_joints)
    gap_eff = np.empty(gap_cell.shape[0])
    gap_sum = np.empty(n_bodies)
    gap_theta = np.empty(gap_cell.shape[0])
    body_dt = np.empty(n_bodies)
    joint_dt = np.empty(n_joints)
    columns = (layers, via_cell.shape[0])
    column_hold = np.empty(columns, dtype=theta.dtype)
    column_ease = np.empty(columns, dtype=theta.dtype)
    column_push = np.empty(columns, dtype=theta.dtype)
    column_before = np.empty(columns, dtype=theta.dtype)
    column_level = np.empty(columns, dtype=theta.dtype)
    column_w_k = via_w_k.astype(theta.dtype)

    for s in range(segments.shape[0]):
        if settled:
            break
        jet = segments[s]
        macros = int(jet[MACROS])
        subs = int(jet[SUBS])
        refresh = int(jet[REFRESH])
        long_dt = jet[SECONDS] / macros
        dt = long_dt / subs
        dt32 = np.float32(dt)
        lit = jet[LIT] > 0.5
        opened = now
        # Columns of plated holes are solved as often as their own pace asks for, in equal shares of
        # the long step, each near the middle of its share.
        solves = min(max(math.ceil(quickest_via * long_dt / COLUMN_PACE), 1), subs)
        pace = paces[s]
        for b in range(n_bodies):
            body_dt[b] = pace[b] * long_dt
            for j in range(joint_of_body[b], joint_of_body[b + 1]):
                joint_dt[j] = body_dt[b]
        _ties(joint_links, link_cell, link_w_k, joints, J_TOP, inv_c0, joint_dt, link_eff, link_sum)
        _ties(gap_links, gap_cell, gap_w_k, bodies, B_TOP, inv_c0, body_dt, gap_eff, gap_sum)
        for macro in range(macros):
            now = opened + macro * long_dt
            if macro % refresh == 0:
                here = around[turn]
                turn += 1
                on_plate = jet[ON_PLATE] > 0.5
                if now >= next_columns - 1e-9 or macro == 0:
                    next_columns = now + COLUMNS_STAND_S
                    _column_factors(
                        both,
                        now_in,
                        via_cell,
                        via_w_k,
                        c0,
                        inv_c0,
                        slopes,
                        long_dt / solves,
                        column_hold,
                        column_ease,
                        column_push,
                    )
                if now >= next_room - 1e-9 or macro == 0:
                    next_room = now + 0.1
                    _refresh_room(
                        both[now_in[0], 0],
                        still[0],
                        glow[0],
                        convection_up,
                        here[FORCED_TOP],
                        radiation,
                        here[AIR_TOP],
                        here[WALL_TOP],
                        ambient_k,
                    )
                    bare = 0.0 if on_plate else 1.0
                    _refresh_room(
                        both[now_in[bottom], bottom],
                        still[1],
                        glow[1],
                        bare * convection_down,
                        here[FORCED_LOW],
                        bare * radiation * radiates_down,
                        here[AIR_LOW],
                        here[WALL_LOW],
                        ambient_k,
                    )
                    sourced = here[AIR_LOW] != 0.0 or here[WALL_LOW] != 0.0 or here[REST_K] != 0.0
                    _refresh_unblown(
                        open_low,
                        contact if on_plate else nothing,
                        still[1],
                        glow[1],
                        drive_h[1],
                        drive_q[1],
                        loss_h[1],
                        here[AIR_LOW],
                        here[WALL_LOW],
                        here[REST_W_M2K],
                        here[REST_K],
                        plate_state[S_PLATE_K],
                        sourced,
                    )
                if lit:
                    _refresh_jet(
                        open_top,
                        jet_top,
                        still[0],
                        glow[0],
                        drive_h[0],
                        drive_q[0],
                        loss_h[0],
                        cell_x,
                        cell_y,
                        here[NOZZLE_X],
                        here[NOZZLE_Y],
                        jet,
                    )
                else:
                    _refresh_unblown(
                        open_top,
                        nothing,
                        still[0],
                        glow[0],
                        drive_h[0],
                        drive_q[0],
                        loss_h[0],
                        here[AIR_TOP],
                        here[WALL_TOP],
                        0.0,
                        0.0,
                        0.0,
                        here[AIR_TOP] != 0.0 or here[WALL_TOP] != 0.0,
                    )
                joint_blown[:] = 0.0
                joint_carried[:] = 0.0
                body_blown[:] = 0.0
                body_carried[:] = 0.0
                if lit:
                    _jet_at(
                        joint_x,
                        joint_y,
                        at_joint,
                        at_joint,
                        1.0,
                        here[NOZZLE_X],
                        here[NOZZLE_Y],
                        jet,
                        joint_blown,
                        joint_carried,
                    )
                    # Of a body the mean of 3 × 3 points; of a tiny one they fall together.
                    for a in range(-1, 2):
                        for c in range(-1, 2):
                            for b in range(n_bodies):
                                half_x = bodies[b, B_HALF_X]
                                half_y = bodies[b, B_HALF_Y]
                                wide = 0.6667 if half_x > 0.5e-3 or half_y > 0.5e-3 else 0.0
                                aside_x[b] = a * wide * half_x
                                aside_y[b] = c * wide * half_y
                            _jet_at(
                                body_x,
                                body_y,
                                aside_x,
                                aside_y,
                                1.0 / 9.0,
                                here[NOZZLE_X],
                                here[NOZZLE_Y],
                                jet,
                                body_blown,
                                body_carried,
                            )
                    for j in range(n_joints):
                        joint_blown[j] *= joint_top[j]
                    for b in range(n_bodies):
                        body_blown[b] *= body_top[b]
                _points_air(
                    joint_top,
                    joint_open,
                    joint_theta,
                    joint_blown,
                    joint_carried,
                    here,
                    jet,
                    on_plate,
                    convection_up,
                    radiation,
                    ambient_k,
                    joint_air,
                )
                _points_air(
                    body_top,
                    body_open,
                    body_theta[:, 1],
                    body_blown,
                    body_carried,
                    here,
                    jet,
                    on_plate,
                    convection_up,
                    radiation,
                    ambient_k,
                    body_air,
                )
                _rates(
                    joints,
                    joint_of_body,
                    joint_air,
                    link_sum,
                    bodies,
                    body_air,
                    gap_sum,
                    body_dt,
                    jet[TIP_ON],
                    jet[ON_PLATE],
                    joint_now,
                    body_now,
                )

            # Heat between node layers for the coming long step.
            ahead = np.float32(0.0 if total_steps == 0 else 0.5 * long_dt / last_before)
            last_before = long_dt
            for layer in range(bottom):
                _between_layers(
                    both[now_in[layer], layer],
                    both[now_in[layer + 1], layer + 1],
                    flow_before[layer],
                    flow[layer],
                    through,
                    ahead,
                    cell_first,
                    cell_last,
                )
            drawn = 0.0
            given = 0.0
            solved = 0
            for sub in range(subs):
                if solved < solves and sub == int((solved + 0.5) * subs / solves + 0.499):
                    solved += 1
                    _columns(
                        both,
                        now_in,
                        via_cell,
                        column_w_k,
                        slopes,
                        column_hold,
                        column_ease,
                        column_push,
                        column_before,
                        column_level,
                    )
                if sub == subs // 2:
                    met = now + sub * dt
                    given = _solve_parts(
                        both[now_in[0], 0],
                        both[now_in[bottom], bottom],
                        inv_c0[0],
                        inv_c0[bottom],
                        slopes[0],
                        slopes[bottom],
                        joints,
                        joint_of_body,
                        joint_links,
                        link_cell,
                        link_eff,
                        bodies,
                        gap_links,
                        gap_cell,
                        gap_eff,
                        joint_now,
                        body_now,
                        joint_enthalpy,
                        joint_theta,
                        body_theta,
                        body_seen,
                        joint_record,
                        body_record,
                        energy,
                        source,
                        phases,
                        ends,
                        link_theta,
                        gap_theta,
                        plate_state[S_PLATE_K],
                        met,
                        pace,
                        macro,
                        long_dt,
                    )
                    if met >= next_sample - 1e-9 and samples < sample_times.shape[0]:
                        sample_times[samples] = met
                        for j in range(n_joints):
                            joint_samples[samples, j] = joint_theta[j]
                        for b in range(n_bodies):
                            body_samples[samples, b] = body_seen[b]
                        plate_samples[samples] = plate_state[S_PLATE_K]
                        samples += 1
                        next_sample += sample_s
                for side in range(2):
                    layer = 0 if side == 0 else bottom
                    gained, lost = _step_face(
                        both[now_in[layer], layer],
                        both[1 - now_in[layer], layer],
                        flow[0 if side == 0 else bottom - 1],
                        np.float32(-1.0 if side == 0 else 1.0),
                        gx[layer],
                        gy[layer],
                        drive_h[side],
                        drive_q[side],
                        loss_h[side],
                        inv_c0[layer],
                        slopes[layer],
                        dt32,
                        cell_first,
                        cell_last,
                        across,
                    )
                    energy[E_JET] += dt * gained
                    energy[E_LOST] += dt * lost
                    if side == 1:
                        drawn += gained
                    now_in[layer] = 1 - now_in[layer]
                total_steps += 1
                at = now + (sub + 1) * dt
                if at >= next_frame - 1e-9 and shots < frames.shape[0]:
                    since = min(max((at - next_frame) / dt, 0.0), 1.0)
                    top = both[now_in[0], 0]
                    older = both[1 - now_in[0], 0]
                    for i in range(cells):
                        frames[shots, i] = top[i] + since * (older[i] - top[i])
                        board_peak[i] = max(board_peak[i], top[i])
                    shots += 1
                    next_frame += frame_s
            for layer in range(1, bottom):
                _step_inner(
                    both[now_in[layer], layer],
                    both[1 - now_in[layer], layer],
                    flow[layer - 1],
                    flow[layer],
                    gx[layer],
                    gy[layer],
                    inv_c0[layer],
                    slopes[layer],
                    np.float32(long_dt),
                    cell_first,
                    cell_last,
                    across,
                )
                now_in[layer] = 1 - now_in[layer]
            if plate[P_KIND] > 0.5:
                step_plate(plate_state, plate, jet[PLATE_SET], drawn / subs + given, long_dt)
            now = opened + (macro + 1) * long_dt
            if settle_k >= 0.0 and now >= next_settle:
                next_settle = now + 0.5
                if _hottest(both, now_in, joint_theta, body_theta) < settle_k:
                    settled = True
                    break
    for layer in range(layers):
        for i in range(cells):
            theta[layer, i] = both[now_in[layer], layer, i]
    return samples, shots, total_steps, now - began_s
