"""Column names of the tables that the kernel works on.

Apart from the kernel, so that reading them compiles nothing.

The compiled kernel has these numbers in it and its cache does not see this file: `make setup`
clears it after a change.
"""

# Columns of the segment table (one row per recipe move), SI units. A segment is MACROS long steps
# of SUBS face steps each;
# surface coefficients are refreshed every REFRESH long steps. M_XX.. is the jet's metric: r² = M_XX
# dx² + M_XY dx dy + M_YY dy².
(
    SECONDS,
    JET_H,
    JET_SPREAD,
    JET_WARMTH,
    JET_WARMTH_RADIUS,
    JET_K,
    M_XX,
    M_XY,
    M_YY,
    MACROS,
    SUBS,
    REFRESH,
    LIT,
    PLATE_SET,
    TIP_ON,
    ON_PLATE,
) = range(16)
SEGMENT_COLUMNS = 16
# Columns of the nozzle's path and the surroundings, one row per refresh. Temperatures in K above
# the room.
(
    NOZZLE_X,
    NOZZLE_Y,
    AIR_TOP,
    WALL_TOP,
    FORCED_TOP,
    AIR_LOW,
    WALL_LOW,
    FORCED_LOW,
    REST_W_M2K,
    REST_K,
) = range(10)
AROUND_COLUMNS = 10
# Columns of the joint table.
(
    J_HEAT,
    J_LATENT,
    J_SOLIDUS,
    J_RANGE,
    J_LEAD,
    J_AIR_AREA,
    J_X,
    J_Y,
    J_TOP,
    J_PER_HEAT,
    J_OPEN,
    J_TIP_W_K,
) = range(12)
JOINT_COLUMNS = 12
# Columns of the body table. A body is a core (leads, underside) and a shell (air), joined by
# B_SHELL_W_K; B_PLATE_W_K ties its shell to a plate it lies on.
(
    B_HEAT,
    B_SHELL_HEAT,
    B_SHELL_W_K,
    B_JET_AREA,
    B_LOSS_AREA,
    B_X,
    B_Y,
    B_HALF_X,
    B_HALF_Y,
    B_LIMIT,
    B_TOP,
    B_OPEN,
    B_PLATE_W_K,
) = range(13)
BODY_COLUMNS = 13
# What the air makes of joints and bodies until it is looked at again: W/K, W and 1/(W/K).
(N_TOTAL_W_K, N_EASE, N_WARM_W, N_BASE_W_K, N_JET_W_K, N_LOSS_W_K, N_TIP_W_K) = range(7)
JOINT_NOW = 7
(
    N_JET_W,
    N_SHELL_JET_W_K,
    N_SHELL_LOSS_W_K,
    N_HOT_W_K,
    N_SHELL_RATE_W_K,
    N_SHELL_EASE,
    N_SHELL_SHARE,
    N_CORE_RATE_W_K,
    N_HOLD_W_K,
) = range(9)
BODY_NOW = 9
# Columns of the joint record. R_COUNTED is 1 from a melting that R_MELTS has counted until the
# joint has frozen again.
(R_MELT_START, R_MELT_END, R_FREEZE, R_PEAK, R_ABOVE, R_MELTS, R_COUNTED) = range(7)
JOINT_RECORDS = 7
# Columns of the body record.
(R_BODY_PEAK, R_LIMIT_AT, R_OVER_S) = range(3)
BODY_RECORDS = 3
# Energy tally.
(E_JET, E_LOST) = range(2)
# The hot plate or the iron's tip: what it is (kind 0 none, 1 thermostat with a dead band, 2
# proportional-integral), and its state.
(P_KIND, P_HEAT, P_POWER, P_LOSS_W_K, P_BAND_K, P_GAIN_W_K, P_INTEGRAL_S) = range(7)
(S_PLATE_K, S_PLATE_SUM, S_PLATE_ON, S_PLATE_J) = range(4)

NEVER = -1.0
