"""How far does an on/off controller swing? A pot for candle wax on a hot plate that stores heat."""

# %% The swing is far wider than the hysteresis: what the plate has stored goes on into the wax.
import kelvarn as kv

project = kv.demo("wax-pot")
law = project.candidate("On/off ±1").controller
for edge_K in (0.5, 1.0, 2.0, 3.0):
    made = kv.change(kv.change(law, "below_K", to=edge_K), "above_K", to=edge_K)
    values = kv.run(project, made).measures.main.values
    print(f"±{edge_K:.1f} K: swings {values['swing_K']:.1f} K every {values['swing_period_s'] / 60:.0f} min")
# → ±0.5 K: swings 6.0 K every 17 min
#   ±1.0 K: swings 8.1 K every 21 min
#   ±2.0 K: swings 10.9 K every 27 min
#   ±3.0 K: swings 13.7 K every 31 min

# %% A lighter plate, or a weaker one: which of them helps?
heavy = next(k for k, body in enumerate(project.rig.bodies) if body.name == "Hot plate")
for text, rig in (
    ("as it is", project.rig),
    (
        "half the plate",
        kv.change(project.rig, "bodies", heavy, "capacity_J_per_K", to=project.rig.bodies[heavy].capacity_J_per_K / 2),
    ),
    ("half the power", kv.change(project.rig, "drives", 0, "power_W", to=project.rig.drives[0].power_W / 2)),
):
    values = kv.run(rig, law, project.first_trial).measures.main.values
    print(f"{text:14}: swings {values['swing_K']:.1f} K")
# → as it is      : swings 8.1 K
#   half the plate: swings 7.1 K
#   half the power: swings 5.0 K

# %% One lag with a dead time alone has its swing in closed form (Tsypkin 1984). The run, read twice a second, comes
# to the same but for what passes between two readings.
import math

gain_K, lag_s, dead_s, surroundings, setpoint, edge_K = 120.0, 900.0, 30.0, 20.0, 80.0, 1.0
plain = kv.Rig(
    response={"kind": "one_lag", "gain_K": gain_K, "lag_s": lag_s, "dead_time_s": dead_s},
    drives=(kv.Relay(name="Heater", body="Output", power_W=100.0),),
    probes=(kv.Probe(name="Probe", body="Output", interval_s=0.5, resolution_K=0.0, noise_K=0.0, lag_s=0.0),),
    surroundings=kv.Surroundings(temperature_degC=surroundings),
)
trial = kv.Trial(
    name="Hold", duration_s=14400.0, plan=kv.Plan(changes=(kv.SetpointChange(at_s=0.0, to_degC=setpoint),))
)
found = kv.run(plain, kv.OnOff(below_K=edge_K, above_K=edge_K), trial)
kept = math.exp(-dead_s / lag_s)
top = (surroundings + gain_K) - (surroundings + gain_K - (setpoint + edge_K)) * kept
bottom = surroundings + (setpoint - edge_K - surroundings) * kept
print(f"run {found.measures.main.values['swing_K']:.2f} K, formula {top - bottom:.2f} K")
# → run 5.90 K, formula 5.87 K
