"""One gain for heating and cooling, or two? A bowl for chocolate that is heated, cooled and heated again."""

# %% The cooling side is weaker than the heating side: with one gain the way down is slow and the way up is wild.
import kelvarn as kv

project = kv.demo("tempering-bowl")
for name in ("PI, one gain", "PID, own cooling gain"):
    found = kv.run(project, name)
    values = found.measures.values
    print(
        f"{name:21} worst over {values['worst_over_K']:.2f} K, worst under {values['worst_under_K']:.2f} K, "
        f"marks {found.met}/{len(found.verdicts)}"
    )
# → PI, one gain          worst over 2.83 K, worst under 1.13 K, marks 4/5
#   PID, own cooling gain worst over 2.04 K, worst under 1.09 K, marks 5/5

# %% How much more gain should cooling have? The ratio, scanned: here it hardly matters, since cooling is at its limit.
law = project.candidate("PID, own cooling gain").controller
for ratio in (0.5, 1.0, 2.0, 4.0, 8.0):
    values = kv.run(project, kv.change(law, "cooling_ratio", to=ratio)).measures.values
    print(f"ratio {ratio:3.1f}: worst over {values['worst_over_K']:.2f} K, worst under {values['worst_under_K']:.2f} K")
# → ratio 0.5: worst over 2.12 K, worst under 1.10 K
#   ratio 1.0: worst over 2.05 K, worst under 1.09 K
#   ratio 2.0: worst over 2.02 K, worst under 1.09 K
#   ratio 4.0: worst over 2.01 K, worst under 1.08 K
#   ratio 8.0: worst over 2.03 K, worst under 1.07 K

# %% Is P enough? With a low gain and a bias it is: what P would stand below the setpoint, the bias makes up for.
# `kv.suggest(project)` looks through all strategies and settings; here it is one gain, and the bias scanned.
for bias in (0.0, 0.03, 0.06, 0.09, 0.12):
    found = kv.run(project, kv.Pid(terms="P", kp_per_K=0.12, bias=bias, low=-1.0))
    print(f"bias {100 * bias:2.0f} %: marks {found.met}/{len(found.verdicts)}")
# → bias  0 %: marks 3/5
#   bias  3 %: marks 3/5
#   bias  6 %: marks 4/5
#   bias  9 %: marks 5/5
#   bias 12 %: marks 5/5
