"""Column names of the tables that the kernel works on. Apart from the kernel, so that reading them compiles nothing."""

# Columns of the segment table (one row per recipe move), SI units.
(SECONDS, CENTRE_X, CENTRE_Y, RADIUS, PERIOD, JET_H, JET_SPREAD, JET_WARMTH, JET_WARMTH_RADIUS, JET_K, STEPS, REFRESH, PARTS_EVERY) = range(
    13
)
# Columns of the joint table.
(J_HEAT, J_LATENT, J_SOLIDUS, J_RANGE, J_LEAD, J_AIR_AREA, J_X, J_Y, J_TOP, J_PER_HEAT, J_LINK_W_K) = range(11)
# Columns of the body table.
(B_HEAT, B_JET_AREA, B_LOSS_AREA, B_X, B_Y, B_HALF_X, B_HALF_Y, B_LIMIT, B_TOP, B_GAP_W_K) = range(10)
# Columns of the joint record.
(R_MELT_START, R_MELT_END, R_FREEZE, R_PEAK, R_ABOVE) = range(5)
# Columns of the body record.
(R_BODY_PEAK, R_LIMIT_AT) = range(2)
# Energy tally.
(E_JET, E_LOST) = range(2)

NEVER = -1.0
