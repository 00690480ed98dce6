"""How quiet may a fan be? A heatsink under an amplifier that is played quietly, then loudly, then in a warm room."""

# %% Three strategies: what they let the sink come to, and how much the fan is heard.
import kelvarn as kv

project = kv.demo("heatsink-fan")
for candidate in project.candidates:
    found = kv.run(project, candidate.name)
    values = found.measures.values
    print(
        f"{candidate.name:11} sink {found.measures.hottest_degC['Sink']:.1f} °C, mean drive "
        f"{100 * values['mean_drive']:.0f} %, drive travel {values['travel']:.1f}"
    )
# → Three steps sink 61.6 °C, mean drive 55 %, drive travel 39.5
#   Quiet ramp  sink 61.4 °C, mean drive 56 %, drive travel 7.0
#   Quiet PI    sink 58.3 °C, mean drive 64 %, drive travel 4.9

# %% A later full speed makes it quieter and the sink warmer: the full-speed temperature of the ramp, moved.
ramp = project.candidate("Quiet ramp").controller
for full_degC in (60.0, 65.0, 70.0, 75.0):
    found = kv.run(project, kv.change(ramp, "full_degC", to=full_degC))
    print(
        f"full at {full_degC:.0f} °C: sink {found.measures.hottest_degC['Sink']:.1f} °C, mean drive "
        f"{100 * found.measures.values['mean_drive']:.0f} %"
    )
# → full at 60 °C: sink 58.7 °C, mean drive 62 %
#   full at 65 °C: sink 61.0 °C, mean drive 57 %
#   full at 70 °C: sink 62.9 °C, mean drive 54 %
#   full at 75 °C: sink 64.5 °C, mean drive 51 %

# %% On a day at 35 °C in place of the room it was drawn for: the fan is flat out under all three, and no law helps.
warm = kv.change(project, "rig", "surroundings", "temperature_degC", to=35.0)
for candidate in project.candidates:
    found = kv.run(warm, candidate.name)
    print(
        f"{candidate.name:11} sink {found.measures.hottest_degC['Sink']:.1f} °C, marks {found.met}/{len(found.verdicts)}"
    )
# → Three steps sink 68.1 °C, marks 2/4
#   Quiet ramp  sink 68.1 °C, marks 2/4
#   Quiet PI    sink 68.1 °C, marks 2/4
