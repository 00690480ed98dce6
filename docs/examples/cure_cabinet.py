"""How much of the setpoint should the gain see? A cure cabinet whose part must not be overheated.

Run it whole, or cell by cell in an editor that knows `# %%`. What is printed stands behind the arrow.
"""

# %% The project as it ships: four candidates, six marks on a cold start with a door and a cold night.
import numpy as np

import kelvarn as kv

project = kv.demo("cure-cabinet")
for candidate in project.candidates:
    found = kv.run(project, candidate.name)
    values = found.measures.main.values
    print(f"{candidate.name:11} over {values['overshoot_K']:.2f} K, marks {found.met}/{len(found.verdicts)}")
# → On/off ±1   over 4.76 K, marks 0/6
#   P           over 0.00 K, marks 1/6
#   Eager PI    over 4.51 K, marks 2/6
#   Careful PID over 0.44 K, marks 5/6

# %% The same PID with other setpoint weights: with less of the step in the gain it overshoots less; with all
# of it the peak lies outside of the band, and settling takes until it has gone down again.
# Settling is from the change until it stays inside of the band for good; None where it never does.
law = project.candidate("Careful PID").controller
for weight in (1.0, 0.8, 0.6, 0.4, 0.2):
    values = kv.run(project, kv.change(law, "setpoint_weight", to=weight)).measures.main.values
    print(f"b = {weight:.1f}: over {values['overshoot_K']:.2f} K, settled {values['settling_s'] / 60:.1f} min")
# → b = 1.0: over 0.51 K, settled 49.0 min
#   b = 0.8: over 0.47 K, settled 30.0 min
#   b = 0.6: over 0.44 K, settled 31.8 min
#   b = 0.4: over 0.42 K, settled 34.0 min
#   b = 0.2: over 0.39 K, settled 36.5 min

# %% What the part itself gets: the body that is cured lags behind the air that is measured.
found = kv.run(project, "Careful PID")
part = found.run.bodies_degC[[body.name for body in project.rig.bodies].index("Part")]
inside = np.flatnonzero(part >= 58.0)
print(
    f"air is at 58 °C after {found.run.time_s[np.argmax(found.run.measured_degC >= 58.0)] / 60:.0f} min, "
    f"the part after {found.run.time_s[inside[0]] / 60:.0f} min"
)
# → air is at 58 °C after 25 min, the part after 52 min
