"""Does one setting do for all of a kiln? Heat gets into the work by radiation, so one would expect it to answer otherwise
when it glows. It leaves through the brick by conduction, though, and that sets gain and lag."""

# %% Small steps of the drive, up and down again, from rest at three levels: gain and lag as fitted to a log of each.
import numpy as np

import kelvarn as kv

project = kv.demo("enamelling-kiln")
hold = kv.Plan(changes=(kv.SetpointChange(at_s=0.0, to_degC=20.0),))
free = kv.change(project.rig, "guards", to=())  # nothing is to end a step; in a run only


def stretch(rig: kv.Rig, drive: float, hours: float) -> kv.Result:
    """A stretch of hours with the drive set by hand."""
    return kv.run(rig, kv.Fixed(drive=drive), kv.Trial(name="By hand", duration_s=3600.0 * hours, plan=hold))


def after(rig: kv.Rig, found: kv.Result) -> kv.Rig:
    """The rig as a stretch left it."""
    for place, course in enumerate(found.run.bodies_degC):
        rig = kv.change(rig, "bodies", place, "start_degC", to=float(course[-1]))
    return rig


for level in (0.02, 0.10, 0.30):
    rig = after(free, stretch(free, level, 24.0))
    rest, up = stretch(rig, level, 1.0), stretch(rig, level + 0.02, 8.0)
    down = stretch(after(rig, up), level, 8.0)
    parts = (rest, level), (up, level + 0.02), (down, level)
    measured = np.concatenate([found.run.measured_degC[:-1] for found, _ in parts])
    drive = np.concatenate([np.full(found.run.time_s.size - 1, given) for found, given in parts])
    time_s = np.arange(measured.size) * rest.run.time_s[1]
    fit = kv.fit_log(time_s[::30], measured[::30], drive[::30]).fit
    gain, lag = fit.values["gain_K"], fit.values["lag_s"]
    print(f"at {measured[0]:.0f} °C: gain {gain.value:.0f} K at full drive, lag {lag.value / 60:.0f} min")
# → at 90 °C: gain 3144 K at full drive, lag 132 min
#   at 342 °C: gain 3026 K at full drive, lag 140 min
#   at 950 °C: gain 3012 K at full drive, lag 138 min

# %% They differ by a few per cent, so one PI does. What the two candidates make of the ramp to 820 °C:
for candidate in project.candidates:
    found = kv.run(project, candidate.name)
    values = found.measures.main.values
    print(
        f"{candidate.name:9} tracks within {values['tracking_max_K']:.1f} K, "
        f"elements at {found.measures.hottest_degC['Elements']:.0f} °C"
    )
# → On/off ±3 tracks within 12.9 K, elements at 940 °C
#   Steady PI tracks within 7.4 K, elements at 926 °C
