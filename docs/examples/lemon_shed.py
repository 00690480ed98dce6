"""How long will the relay live? Lemon trees in a shed, through a frosty week, with a heater on a relay."""

# %% Narrow edges keep it closer and wear the relay out.
import kelvarn as kv

project = kv.demo("lemon-shed")
law = project.candidate("On/off −1 +1").controller
for edge_K in (0.1, 0.3, 1.0, 2.0):
    made = kv.change(kv.change(law, "below_K", to=edge_K), "above_K", to=edge_K)
    values = kv.run(project, made).measures.values
    print(
        f"±{edge_K:.1f} K: {values['switch_ons_per_h']:.1f} switch-ons an hour, relay {values['relay_life_years']:.0f} years"
    )
# → ±0.1 K: 5.4 switch-ons an hour, relay 4 years
#   ±0.3 K: 4.3 switch-ons an hour, relay 5 years
#   ±1.0 K: 2.8 switch-ons an hour, relay 8 years
#   ±2.0 K: 1.8 switch-ons an hour, relay 13 years

# %% The probe fails in the night: what the roots come to, by what is given once the fault is seen.
trial = "The probe fails in the night"
fault = next(k for k, guard in enumerate(project.rig.guards) if guard.kind == "probe_fault")
for action in ("off", "hold", "on"):
    rig = kv.change(project, "rig", "guards", fault, "action", to=action)
    found = kv.run(rig, "On/off −1 +1", trial)
    print(f"probe fault, {action}: roots at {found.measures.coldest_degC['Roots']:.1f} °C at the coldest")
# → probe fault, off: roots at -4.0 °C at the coldest
#   probe fault, hold: roots at -4.0 °C at the coldest
#   probe fault, on: roots at 3.8 °C at the coldest


# %% Energy: the whole plan some degrees lower, over the week.
def lowered(plan: kv.Plan, by_K: float) -> kv.Plan:
    """The plan with each of its setpoints lower."""
    for name in ("changes", "week", "setpoints"):
        parts = tuple(kv.change(part, "to_degC", to=part.to_degC - by_K) for part in getattr(plan, name))
        plan = plan.model_copy(update={name: parts})  # together: they name each other
    return plan


for less_K in (0.0, 0.5, 1.0):
    colder = kv.change(project.first_trial, "plan", to=lowered(project.first_trial.plan, less_K))
    found = kv.run(project, law, colder)
    print(
        f"−{less_K:.1f} K: {found.measures.values['energy_J'] / 3.6e6:.1f} kWh, "
        f"roots at {found.measures.coldest_degC['Roots']:.1f} °C at the coldest"
    )
# → −0.0 K: 41.6 kWh, roots at 2.5 °C at the coldest
#   −0.5 K: 38.9 kWh, roots at 2.2 °C at the coldest
#   −1.0 K: 36.4 kWh, roots at 2.1 °C at the coldest
