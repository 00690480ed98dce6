"""Numbers by which arrays and compiled code agree on kinds and on the places of settings. Needs no compiler."""

# Laws; by hand, the drive is what HAND_DRIVE says.
ON_OFF, PID, HAND = 0, 1, 2
HAND_DRIVE = 0
# Settings of on/off, in K and s; ONCE is 0 or 1.
BELOW, ABOVE, SHORTEST_ON, SHORTEST_OFF, CONFIRM, DECIDE_EVERY, ONCE = range(7)
# Settings of PID; KI is Kp/Ti in 1/(K s), KD is Kp·Td in s/K, TF is Td/N in s; rate 0 means none.
KP, KI, KD, TF, WEIGHT, SPEED_WEIGHT, BIAS, LOW, HIGH, WINDUP, TRACKING, RATE, INTEGRATES = range(13)
LAW_SETTINGS_SIZE = 13
WINDUP_NONE, WINDUP_HOLD, WINDUP_BACK = 0, 1, 2

# Drives, one row of a table each: kind, body (−1: none), W at full drive (below 0: cools), dead time in s, whether its
# power goes with the square of the supply, lag of its speed in s, level below which it stalls, whether it moves air or
# liquid, 1 heats or −1 cools, weight in sharing; then settings by kind.
RELAY, SLOW_WINDOW, PWM, VALVE = 0, 1, 2, 3
KIND, ACTS_ON, POWER_W, DEAD_TIME, BY_SUPPLY, SPEED_LAG, STALL, MOVES, DIRECTION, SHARE, SETTINGS = range(11)
RELAY_SHORTEST_ON, RELAY_SHORTEST_OFF = SETTINGS, SETTINGS + 1
WINDOW, PULSE, RESOLUTION = SETTINGS, SETTINGS + 1, SETTINGS + 2
STEPS, FLOOR, TOP, OFF_BELOW, KICK = range(SETTINGS, SETTINGS + 5)
TRAVEL, BACKLASH, LOWEST, HIGHEST = range(SETTINGS, SETTINGS + 4)
DRIVE_SIZE = SETTINGS + 5
SHARE_EQUAL, SHARE_PRIORITY = 0, 1

# Links: ends, drive that moves something along it (−1: none), whether only the second end feels it; then W/K at rest,
# W/K that full flow adds, exponent of the flow, σ·ε·A in W/K⁴.
END_A, END_B, MOVER, ONE_WAY = range(4)
AT_REST, AT_FULL, EXPONENT, RADIATES = range(4)

# Melting of a body: from and to in degC, and latent heat over heat capacity in K (0: it does not melt).
MELT_FROM, MELT_TO, MELT_K = range(3)

# Probes, one row of a table each: body, lag and dead time in s, offset in K, slope, steps in K, lowest and highest
# reading in degC, converter, its levels, NTC at 25 °C and fixed resistor in Ω, Beta in K, correction: slope, point
# shown and point true in degC.
SITS_IN, LAG, AGE, OFFSET, SLOPE, STEP, LOWEST_READ, HIGHEST_READ = range(8)
CONVERTER, LEVELS, OHM_25, FIXED_OHM, BETA, CORRECT_SLOPE, CORRECT_SHOWN, CORRECT_TRUE = range(8, 16)
PROBE_SIZE = 16
NO_CONVERTER, EVEN, NTC = 0, 1, 2
SOUND, OPEN, SHORT, STUCK, STALE, DRIFT, WRONG_BY, SPIKES = range(8)

# What an event changes, at an instant. Its numbers: W/K of a link; W into a body; K of the surroundings; W/K drawn from
# a body and the temperature of what comes in; supply by so much; fault of a probe, its size and its time.
LINK_CHANGES, LOAD_CHANGES, SURROUNDINGS_CHANGE, DRAW_CHANGES, SUPPLY_CHANGES, FAULT_CHANGES = range(6)
EVENT_A, EVENT_B, EVENT_C = range(3)

# A window of a run that `survey` reads: first sample, one after the last, its instant in s, setpoint in degC, whether
# an event opened it; and what is found there. Indices count from the window's first sample; NONE where there is none.
FIRST, LAST, STARTS_S, TARGET, AFTER_EVENT = range(5)
TENTH_S, NINE_TENTHS_S, BEYOND_K, BEYOND_AT, SETTLED_S, OUTSIDE_AT, WORST_K, WORST_AT = range(8)
IAE, ISE, ITAE, STEADY, SWING, SWING_PERIOD_S = range(8, 14)
SCAN_SIZE = 14
# What it finds in the whole run.
MEAN_DRIVE, DRIVE_TRAVEL, AT_LIMIT_SAMPLES = range(3)
WHOLE_SIZE = 3
NONE = -1.0
