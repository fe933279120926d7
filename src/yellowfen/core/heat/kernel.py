"""The stepping kernel: board cells explicit, parts and joints implicit, melting by enthalpy.

Laws:
* Every flux is computed once and used on both sides, so energy is conserved to rounding.
* Temperatures are kelvins above ambient. Board cells are flat padded arrays, one row of cells after the
  other with a ghost ring of zero conductance; node layers lie at the surfaces and evenly between.
* A cell's heat capacity is c0·(1 + slope·θ); its inverse uses one correction term (error ~ (slope·Δθ)²).
* A joint is its enthalpy H above its solidus: solid below 0, melting from 0 to L, liquid above.
* Plated holes are so conductive that their columns are solved implicitly; like parts and joints every few board
  steps (PARTS_EVERY), with one long implicit step.
* Surface coefficients (jet, free convection, radiation) are refreshed every few steps, between which the
  nozzle moves less than half a millimetre; the flux used is the flux counted.

Longer than a page because it is one loop nest that has to be compiled as one; each part says what it is.
"""

import math

import numba
import numpy as np

from yellowfen.core.heat.kernel_tables import (
    B_GAP_W_K,
    B_HALF_X,
    B_HALF_Y,
    B_HEAT,
    B_JET_AREA,
    B_LIMIT,
    B_LOSS_AREA,
    B_TOP,
    B_X,
    B_Y,
    CENTRE_X,
    CENTRE_Y,
    E_JET,
    E_LOST,
    J_AIR_AREA,
    J_HEAT,
    J_LATENT,
    J_LEAD,
    J_LINK_W_K,
    J_PER_HEAT,
    J_RANGE,
    J_SOLIDUS,
    J_TOP,
    J_X,
    J_Y,
    JET_H,
    JET_K,
    JET_SPREAD,
    JET_WARMTH,
    JET_WARMTH_RADIUS,
    NEVER,
    PARTS_EVERY,
    PERIOD,
    R_ABOVE,
    R_BODY_PEAK,
    R_FREEZE,
    R_LIMIT_AT,
    R_MELT_END,
    R_MELT_START,
    R_PEAK,
    RADIUS,
    REFRESH,
    SECONDS,
    STEPS,
)

_MATH = {"contract", "reassoc", "nsz", "arcp"}
# Without reassociation, so that the many loops over two or three links are not vectorised, which would slow them.
_SHORT_LOOPS = {"contract", "nsz", "arcp"}


@numba.njit(cache=True, fastmath=_MATH, error_model="numpy", inline="always")
def joint_temperature(enthalpy: float, per_heat: float, latent: float, solidus: float, melt_range: float) -> float:
    """Temperature above ambient of a joint with this enthalpy (J above its solidus); `per_heat` K/J."""
    if enthalpy < 0.0:
        return solidus + enthalpy * per_heat
    if enthalpy <= latent:
        return solidus + melt_range * enthalpy / latent
    return solidus + melt_range + (enthalpy - latent) * per_heat


@numba.njit(cache=True, fastmath=_MATH, error_model="numpy")
def _conduct_layer(tc, tn, te, tw, ts, tnn, up, down, gxe, gxw, gyn, gys, g_up, g_down, inv_c0, slope, dt):
    """One explicit conduction step of one node layer; neighbours are shifted views, so the loop vectorises."""
    one = np.float32(1.0)
    half_slope = np.float32(0.5) * slope
    for i in range(tc.shape[0]):
        here = tc[i]
        q = (gxe[i] * (te[i] - here) + gxw[i] * (tw[i] - here) + gyn[i] * (tnn[i] - here) + gys[i] * (ts[i] - here)
             + g_up * (up[i] - here) + g_down * (down[i] - here))  # fmt: skip
        softening = one / (one + slope * here)
        d = dt * q * inv_c0[i] * softening
        tn[i] = here + d * (one - half_slope * d * softening)


@numba.njit(cache=True, fastmath=_MATH, error_model="numpy")
def _surface(theta, theta_new, jet_h, jet_q, loss_h, inv_c0, per_heat, slope, dt):
    """Exchange of one face with the air over one step; returns (heat from the jet, heat lost), in W.

    `per_heat` is left holding kelvins per joule of each cell, for the parts that take from this face.
    """
    gained = 0.0
    lost = 0.0
    one = np.float32(1.0)
    half_slope = np.float32(0.5) * slope
    for i in range(theta.shape[0]):
        here = theta[i]
        jet = jet_q[i] - jet_h[i] * here
        out = loss_h[i] * here
        soft = one / (one + slope * theta_new[i])
        per_heat[i] = inv_c0[i] * soft
        d = dt * (jet - out) * per_heat[i]
        theta_new[i] += d * (one - half_slope * d * soft)
        gained += jet
        lost += out
    return gained, lost


@numba.njit(cache=True, fastmath=_MATH, error_model="numpy")
def _refresh_face(theta, open_area, jet_h, jet_q, loss_h, cell_x, cell_y, nozzle_x, nozzle_y, jet, lit, convection, radiation, rest,
                  air_k):  # fmt: skip
    """Coefficients of one face from its present temperature and the nozzle's place.

    Where the jet is stronger than free convection it replaces it; radiation always acts.
    """
    inv_spread2 = np.float32(1.0 / (jet[JET_SPREAD] * jet[JET_SPREAD]))
    inv_warm2 = np.float32(1.0 / (jet[JET_WARMTH_RADIUS] * jet[JET_WARMTH_RADIUS]))
    h0 = np.float32(jet[JET_H] if lit else 0.0)
    warm0 = np.float32(jet[JET_WARMTH] * jet[JET_K])
    one = np.float32(1.0)
    nx = np.float32(nozzle_x)
    ny = np.float32(nozzle_y)
    conv = np.float32(convection)
    rad = np.float32(radiation)
    rest_h = np.float32(rest)
    air = np.float32(air_k)
    for i in range(theta.shape[0]):
        dx = cell_x[i] - nx
        dy = cell_y[i] - ny
        r2 = dx * dx + dy * dy
        blown = h0 / np.sqrt(one + r2 * inv_spread2)
        warmth = warm0 / np.sqrt(one + r2 * inv_warm2)
        here = theta[i]
        still = conv * np.sqrt(np.sqrt(np.abs(here) + np.float32(0.01)))
        hot = air + here
        glow = rad * (hot * hot + air * air) * (hot + air)
        jetted = blown > still
        area = open_area[i]
        jet_h[i] = area * blown if jetted else np.float32(0.0)
        jet_q[i] = area * blown * warmth if jetted else np.float32(0.0)
        loss_h[i] = area * (rest_h + glow + (np.float32(0.0) if jetted else still))


@numba.njit(cache=True, fastmath=_MATH, error_model="numpy")
def _point_air(x, y, half_x, half_y, theta, nozzle_x, nozzle_y, jet, lit, convection, radiation, air_k):
    """Air at a joint (one point) or a body (mean of 3 × 3 points): (jet h, jet h·θ_air, loss h), per m²."""
    blown = 0.0
    carried = 0.0
    if lit and half_x == 0.0:
        r2 = (x - nozzle_x) ** 2 + (y - nozzle_y) ** 2
        blown = jet[JET_H] / math.sqrt(1.0 + r2 / (jet[JET_SPREAD] * jet[JET_SPREAD]))
        carried = blown * jet[JET_WARMTH] * jet[JET_K] / math.sqrt(1.0 + r2 / (jet[JET_WARMTH_RADIUS] * jet[JET_WARMTH_RADIUS]))
    elif lit:
        for a in range(3):
            for b in range(3):
                dx = x + (a - 1) * half_x * 0.6667 - nozzle_x
                dy = y + (b - 1) * half_y * 0.6667 - nozzle_y
                r2 = dx * dx + dy * dy
                h = jet[JET_H] / math.sqrt(1.0 + r2 / (jet[JET_SPREAD] * jet[JET_SPREAD]))
                blown += h / 9.0
                carried += h / 9.0 * jet[JET_WARMTH] * jet[JET_K] / math.sqrt(1.0 + r2 / (jet[JET_WARMTH_RADIUS] * jet[JET_WARMTH_RADIUS]))
    still = convection * math.sqrt(math.sqrt(abs(theta) + 0.01))
    hot = air_k + theta
    glow = radiation * (hot * hot + air_k * air_k) * (hot + air_k)
    if blown > still:
        return blown, carried, glow
    return 0.0, 0.0, glow + still


@numba.njit(cache=True, fastmath=_MATH, error_model="numpy", inline="always")
def _take(theta, layer, i, cooling, slope):
    """Cool one cell by a heat given as kelvins at its cold heat capacity."""
    soft = 1.0 / (1.0 + slope * theta[layer, i])
    d = cooling * soft
    theta[layer, i] -= d * (1.0 + 0.5 * slope * d * soft)


@numba.njit(cache=True, fastmath=_SHORT_LOOPS, error_model="numpy")
def _columns(theta, via_cell, via_w_k, c0, inv_c0, slopes, dt, below, level):
    """One implicit step of the columns with plated holes; fluxes from the new state, used on both sides."""
    layers = theta.shape[0]
    per_dt = 1.0 / dt
    for v in range(via_cell.shape[0]):
        i = via_cell[v]
        g = via_w_k[v]
        for layer in range(layers):
            hold = c0[layer, i] * (1.0 + slopes[layer] * theta[layer, i]) * per_dt
            push = hold * theta[layer, i]
            if layer > 0:
                share = g * below[layer - 1]
                push += share * level[layer - 1]
                hold += g - g * share
            if layer < layers - 1:
                hold += g
            below[layer] = 1.0 / hold
            level[layer] = push
        for layer in range(layers - 1, -1, -1):
            level[layer] = (level[layer] + (g * level[layer + 1] if layer < layers - 1 else 0.0)) * below[layer]
        for layer in range(layers):
            q = 0.0
            if layer > 0:
                q += g * (level[layer - 1] - level[layer])
            if layer < layers - 1:
                q += g * (level[layer + 1] - level[layer])
            _take(theta, layer, i, -dt * q * inv_c0[layer, i], slopes[layer])


@numba.njit(cache=True, fastmath=_SHORT_LOOPS, error_model="numpy")
def _solve_parts(theta, per_heat, slopes, joints, joint_of_body, joint_links, link_cell, link_w_k, bodies, gap_links,
                 gap_cell, gap_w_k, joint_enthalpy, joint_theta, joint_air, body_heat, body_theta, body_air,
                 joint_record, body_record, energy, source, pull, ease, lean_a, lean_b, link_theta, gap_theta, now, dt):  # fmt: skip
    """One implicit step of every body with its joints, then each joint in closed form; moments of melting are noted.

    The board is taken as it stands after its own steps; what parts take from it is taken from `theta` at once,
    from the temperatures that their solve saw.
    """
    n_bodies = bodies.shape[0]
    per_dt = 1.0 / dt
    for b in range(n_bodies):
        layer = 0 if bodies[b, B_TOP] > 0.5 else theta.shape[0] - 1
        face = theta[layer]
        kelvins = per_heat[0 if bodies[b, B_TOP] > 0.5 else 1]
        bend = 0.5 * slopes[layer]
        area_jet = bodies[b, B_JET_AREA]
        area_loss = bodies[b, B_LOSS_AREA]
        heat_rate = bodies[b, B_HEAT] * per_dt
        k_jet = area_jet * body_air[b, 0]
        q_jet = area_jet * body_air[b, 1]
        k_loss = area_loss * body_air[b, 2]
        push = heat_rate * body_theta[b] + q_jet
        hold = heat_rate + k_jet + k_loss + bodies[b, B_GAP_W_K]
        for g in range(gap_links[b], gap_links[b + 1]):
            gap_theta[g] = face[gap_cell[g]]
            push += gap_w_k[g] * gap_theta[g]
        for j in range(joint_of_body[b], joint_of_body[b + 1]):
            lead = joints[j, J_LEAD]
            warm = joints[j, J_AIR_AREA] * joint_air[j, 1]
            total = joints[j, J_LINK_W_K] + lead + joints[j, J_AIR_AREA] * (joint_air[j, 0] + joint_air[j, 2])
            for g in range(joint_links[j], joint_links[j + 1]):
                link_theta[g] = face[link_cell[g]]
                warm += link_w_k[g] * link_theta[g]
            source[j] = warm
            pull[j] = total
            base = joints[j, J_HEAT] * per_dt
            ease[j] = 1.0 / (base + total)
            h = joint_enthalpy[j]
            if 0.0 <= h <= joints[j, J_LATENT]:
                lean_a[j] = joint_theta[j]
                lean_b[j] = 0.0
            else:
                lean_a[j] = (base * joint_theta[j] + warm) * ease[j]
                lean_b[j] = lead * ease[j]
            push += lead * lean_a[j]
            hold += lead * (1.0 - lean_b[j])
        guess = push / hold
        flow = q_jet - (k_jet + k_loss) * guess
        energy[E_JET] += dt * (q_jet - k_jet * guess)
        energy[E_LOST] += dt * k_loss * guess
        for g in range(gap_links[b], gap_links[b + 1]):
            i = gap_cell[g]
            q = gap_w_k[g] * (gap_theta[g] - guess)
            flow += q
            face[i] -= dt * q * kelvins[i]
        for j in range(joint_of_body[b], joint_of_body[b + 1]):
            heat = joints[j, J_HEAT]
            latent = joints[j, J_LATENT]
            solidus = joints[j, J_SOLIDUS]
            melt = joints[j, J_RANGE]
            lead = joints[j, J_LEAD]
            before = joint_enthalpy[j]
            drive = source[j] + lead * guess
            total = pull[j]
            relax = heat * per_dt * ease[j]
            after = (before + dt * (drive - total * solidus)) * relax
            if after > 0.0:
                after = latent + (before - latent + dt * (drive - total * (solidus + melt))) * relax
                if after < latent:
                    after = (before + dt * (drive - total * solidus)) / (1.0 + dt * total * melt / latent)
            hot = joint_temperature(after, joints[j, J_PER_HEAT], latent, solidus, melt)
            flow -= lead * (guess - hot)
            k_air = joints[j, J_AIR_AREA] * joint_air[j, 0]
            q_air = joints[j, J_AIR_AREA] * joint_air[j, 1]
            k_out = joints[j, J_AIR_AREA] * joint_air[j, 2]
            energy[E_JET] += dt * (q_air - k_air * hot)
            energy[E_LOST] += dt * k_out * hot
            for g in range(joint_links[j], joint_links[j + 1]):
                i = link_cell[g]
                q = link_w_k[g] * (link_theta[g] - hot)
                d = dt * q * kelvins[i]
                face[i] -= d * (1.0 + bend * d)
            # Moments of melting and freezing, located within the step by the enthalpy's crossing.
            change = after - before
            if before < 0.0 <= after and joint_record[j, R_MELT_START] < 0.0:
                joint_record[j, R_MELT_START] = now + dt * (-before / change)
            if before < latent <= after and joint_record[j, R_MELT_END] < 0.0:
                joint_record[j, R_MELT_END] = now + dt * ((latent - before) / change)
            if before > 0.0 >= after:
                joint_record[j, R_FREEZE] = now + dt * (-before / change)
            if before < 0.0 <= after:
                joint_record[j, R_FREEZE] = NEVER
            if before >= latent and after >= latent:
                joint_record[j, R_ABOVE] += dt
            elif before >= latent or after >= latent:
                joint_record[j, R_ABOVE] += dt * (max(before, after) - latent) / abs(change)
            joint_record[j, R_PEAK] = max(joint_record[j, R_PEAK], hot)
            joint_enthalpy[j] = after
            joint_theta[j] = hot
        old = body_theta[b]
        body_heat[b] += dt * flow
        body_theta[b] = body_heat[b] / bodies[b, B_HEAT]
        if old < bodies[b, B_LIMIT] <= body_theta[b] and body_record[b, R_LIMIT_AT] < 0.0:
            body_record[b, R_LIMIT_AT] = now + dt * (bodies[b, B_LIMIT] - old) / (body_theta[b] - old)
        body_record[b, R_BODY_PEAK] = max(body_record[b, R_BODY_PEAK], body_theta[b])


@numba.njit(cache=True, fastmath=_MATH, error_model="numpy", nogil=True)
def run(theta, gx, gy, through_w_k, c0, slopes, open_top, open_bottom, cell_x, cell_y, width_cells,
        segments, joints, joint_of_body, joint_links, link_cell, link_w_k,
        bodies, gap_links, gap_cell, gap_w_k, via_cell, via_w_k,
        joint_enthalpy, body_heat, convection_up, convection_down, radiation, rest_down, radiates_down, air_k,
        sample_s, frame_s, sample_times, joint_samples, body_samples, frames, joint_record, body_record, energy,
        board_peak):  # fmt: skip
    """Step the whole recipe. State arrays are changed in place; records are filled. Returns (samples, frames, steps).

    theta (layers, cells) kelvins above ambient; gx, gy (layers, cells) W/K with zeros
    at every border; through_w_k from one node layer to the next in every cell; c0 (layers, cells) J/K; segments (moves, 13); joints (n, 11); bodies (m, 10); links
    as CSR (joint_links, gap_links are starts). All tables as named by the column constants above.
    """
    layers, cells = theta.shape
    row = width_cells + 2
    first = row + 1
    count = cells - 2 * first
    other = theta.copy()
    inv_c0 = np.empty_like(theta)
    for layer in range(layers):
        for i in range(cells):
            inv_c0[layer, i] = 1.0 / c0[layer, i]
    jet_h_top = np.zeros_like(open_top)
    jet_q_top = np.zeros_like(open_top)
    loss_top = np.zeros_like(open_top)
    jet_h_low = np.zeros_like(open_top)
    jet_q_low = np.zeros_like(open_top)
    loss_low = np.zeros_like(open_top)
    n_joints = joints.shape[0]
    n_bodies = bodies.shape[0]
    joint_air = np.zeros((n_joints, 3))
    body_air = np.zeros((n_bodies, 3))
    joint_theta = np.empty(n_joints)
    for j in range(n_joints):
        joint_theta[j] = joint_temperature(
            joint_enthalpy[j], joints[j, J_PER_HEAT], joints[j, J_LATENT], joints[j, J_SOLIDUS], joints[j, J_RANGE]
        )
    body_theta = body_heat / bodies[:, B_HEAT]
    through = np.float32(through_w_k)
    none = np.float32(0.0)
    dark = np.zeros(segments.shape[1])
    dark[JET_SPREAD] = 1.0
    dark[JET_WARMTH_RADIUS] = 1.0
    span = slice(first, first + count)
    bottom = layers - 1
    now = 0.0
    samples = 0
    shots = 0
    total_steps = 0
    next_sample = 0.0
    next_frame = 0.0
    # What one joint gives its body: a + b·θ_body (filled per body, per step).
    lean_a = np.empty(n_joints)
    lean_b = np.empty(n_joints)
    source = np.empty(n_joints)
    pull = np.empty(n_joints)
    ease = np.empty(n_joints)
    per_heat = np.empty((2, cells), dtype=theta.dtype)
    link_theta = np.empty(link_cell.shape[0])
    gap_theta = np.empty(gap_cell.shape[0])
    column_a = np.empty(layers)
    column_b = np.empty(layers)

    for s in range(segments.shape[0]):
        jet = segments[s]
        steps = int(jet[STEPS])
        refresh = int(jet[REFRESH])
        parts_every = int(jet[PARTS_EVERY])
        still_every = refresh * max(1, int(0.1 / (refresh * jet[SECONDS] / steps)))
        dt = jet[SECONDS] / steps
        dt32 = np.float32(dt)
        began = now
        lit = jet[JET_H] > 0.0
        shape = jet if lit else dark
        for step in range(steps):
            now = began + step * dt
            if step % refresh == 0:
                middle = now - began + 0.5 * dt * min(refresh, steps - step)
                angle = 2.0 * math.pi * middle / jet[PERIOD]
                nozzle_x = jet[CENTRE_X] + jet[RADIUS] * math.cos(angle)
                nozzle_y = jet[CENTRE_Y] + jet[RADIUS] * math.sin(angle)
                _refresh_face(theta[0], open_top, jet_h_top, jet_q_top, loss_top, cell_x, cell_y, nozzle_x, nozzle_y, shape, lit,
                              convection_up, radiation, 0.0, air_k)  # fmt: skip
                if step % still_every == 0:
                    _refresh_face(theta[bottom], open_bottom, jet_h_low, jet_q_low, loss_low, cell_x, cell_y, nozzle_x, nozzle_y, dark, False,
                                  convection_down, radiation * radiates_down, rest_down, air_k)  # fmt: skip
                for b in range(n_bodies):
                    on_top = bodies[b, B_TOP] > 0.5
                    body_air[b] = _point_air(bodies[b, B_X], bodies[b, B_Y], bodies[b, B_HALF_X], bodies[b, B_HALF_Y], body_theta[b],
                                             nozzle_x, nozzle_y, shape, lit and on_top, convection_up, radiation, air_k)  # fmt: skip
                for j in range(n_joints):
                    joint_air[j] = _point_air(joints[j, J_X], joints[j, J_Y], 0.0, 0.0, joint_theta[j],
                                              nozzle_x, nozzle_y, shape, lit and joints[j, J_TOP] > 0.5, convection_up, radiation, air_k)  # fmt: skip

            # Conduction, layer by layer, from theta into other.
            for layer in range(layers):
                t = theta[layer]
                above = theta[layer - 1] if layer > 0 else t
                below = theta[layer + 1] if layer < bottom else t
                _conduct_layer(t[span], other[layer][span], t[first + 1 : first + 1 + count], t[first - 1 : first - 1 + count],
                               t[first - row : first - row + count], t[first + row : first + row + count], above[span], below[span],
                               gx[layer][span], gx[layer][first - 1 : first - 1 + count], gy[layer][span],
                               gy[layer][first - row : first - row + count], through if layer > 0 else none, through if layer < bottom else none,
                               inv_c0[layer][span], slopes[layer], dt32)  # fmt: skip
            gained, lost = _surface(theta[0][span], other[0][span], jet_h_top[span], jet_q_top[span], loss_top[span],
                                    inv_c0[0][span], per_heat[0][span], slopes[0], dt32)  # fmt: skip
            energy[E_JET] += dt * gained
            energy[E_LOST] += dt * lost
            gained, lost = _surface(theta[bottom][span], other[bottom][span], jet_h_low[span], jet_q_low[span], loss_low[span],
                                    inv_c0[bottom][span], per_heat[1][span], slopes[bottom], dt32)  # fmt: skip
            energy[E_LOST] += dt * lost

            if (step + 1) % parts_every == 0 or step == steps - 1:
                dt_parts = dt * (parts_every if (step + 1) % parts_every == 0 else (step + 1) % parts_every)
                _columns(other, via_cell, via_w_k, c0, inv_c0, slopes, dt_parts, column_a, column_b)
                _solve_parts(other, per_heat, slopes, joints, joint_of_body, joint_links, link_cell, link_w_k, bodies, gap_links,
                             gap_cell, gap_w_k, joint_enthalpy, joint_theta, joint_air, body_heat, body_theta, body_air,
                             joint_record, body_record, energy, source, pull, ease, lean_a, lean_b, link_theta, gap_theta, now + dt - dt_parts, dt_parts)  # fmt: skip
            theta, other = other, theta
            total_steps += 1
            now = began + (step + 1) * dt

            if now >= next_sample - 1e-9 and samples < sample_times.shape[0]:
                sample_times[samples] = now
                joint_samples[samples] = joint_theta
                body_samples[samples] = body_theta
                samples += 1
                next_sample += sample_s
            if now >= next_frame - 1e-9 and shots < frames.shape[0]:
                since = min(max((now - next_frame) / dt, 0.0), 1.0)
                for i in range(cells):
                    frames[shots, i] = theta[0, i] + since * (other[0, i] - theta[0, i])
                    board_peak[i] = max(board_peak[i], theta[0, i])
                shots += 1
                next_frame += frame_s
    return samples, shots, total_steps, theta
