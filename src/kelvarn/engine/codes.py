"""Numbers by which arrays and compiled code agree on kinds and on the places of settings. Needs no compiler."""

# Laws.
ON_OFF, PID = 0, 1
# Settings of on/off, in K and s; ONCE is 0 or 1.
BELOW, ABOVE, SHORTEST_ON, SHORTEST_OFF, CONFIRM, DECIDE_EVERY, ONCE = range(7)
# Settings of PID; KI is Kp/Ti in 1/(K s), KD is Kp·Td in s/K, TF is Td/N in s; rate 0 means none.
KP, KI, KD, TF, WEIGHT, SPEED_WEIGHT, BIAS, LOW, HIGH, WINDUP, TRACKING, RATE, INTEGRATES = range(13)
LAW_SETTINGS_SIZE = 13
WINDUP_NONE, WINDUP_HOLD, WINDUP_BACK = 0, 1, 2

# Drives, and the places of their settings by kind.
RELAY, SLOW_WINDOW, PWM = 0, 1, 2
RELAY_SHORTEST_ON, RELAY_SHORTEST_OFF = 0, 1
WINDOW, SHORTEST_PULSE, RESOLUTION = 0, 1, 2
STEPS, FLOOR, TOP = 0, 1, 2
DRIVE_SETTINGS_SIZE = 3

# What an event changes, at an instant: W/K of a link, W into a body, K of the surroundings.
LINK_CHANGES, LOAD_CHANGES, SURROUNDINGS_CHANGE = 0, 1, 2

# What `scan` finds in a window of a run. Indices count from the window's first sample; NONE where there is none.
TENTH_S, NINE_TENTHS_S, BEYOND_K, BEYOND_AT, SETTLED_S, OUTSIDE_AT, WORST_K, WORST_AT = range(8)
IAE, ISE, ITAE, STEADY, SWING, SWING_PERIOD_S = range(8, 14)
SCAN_SIZE = 14
NONE = -1.0
