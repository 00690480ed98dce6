"""Forms of P, PI and PID: read off and typed back it is the same law; what has no equivalent is said."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from kelvarn.engine.run import compute
from kelvarn.model.edit import with_fields
from kelvarn.model.forms import FORMS, FormError
from kelvarn.model.pid import Pid
from tests.conftest import one_lag, trial

RIG = one_lag(dead_time_s=5.0)
LAWS = {
    "P": Pid(terms="P", kp_per_K=0.07),
    "PI": Pid(terms="PI", kp_per_K=0.07, ti_s=110.0),
    "PID": Pid(terms="PID", kp_per_K=0.11, ti_s=90.0, td_s=9.0, setpoint_weight=0.7),
}


@pytest.mark.parametrize("terms", LAWS)
@pytest.mark.parametrize("form", FORMS)
def test_a_form_gives_the_same_drive_over_whole_runs(terms: str, form: str) -> None:
    law, h = LAWS[terms], RIG.probe.interval_s
    again = FORMS[form].write(law, FORMS[form].read(law, h), h)
    before, after = (compute(RIG, each, trial(1500.0)).drive for each in (law, again))
    assert np.abs(before - after).max() < 1e-9
    assert len(FORMS[form].read(law, h)) == len(terms)


@given(
    kp=st.floats(1e-4, 10), ti=st.floats(1, 1e5), share=st.floats(0.001, 0.24), n=st.floats(1, 100),
    h=st.floats(0.05, 60), terms=st.sampled_from(["P", "PI", "PID"]), form=st.sampled_from(list(FORMS)),
)  # fmt: skip
def test_what_is_read_is_written_back(
    kp: float, ti: float, share: float, n: float, h: float, terms: str, form: str
) -> None:
    law = Pid.model_validate({"terms": terms, "kp_per_K": kp, "ti_s": ti, "td_s": share * ti, "filter_n": n})
    try:
        values = FORMS[form].read(law, h)
    except FormError as error:
        # Other forms have always an equivalent.
        assert (form, "no series form" in str(error)) == ("series", True)
        return
    again = FORMS[form].write(law, values, h)
    for name in ("kp_per_K", "ti_s", "td_s", "filter_n"):
        assert getattr(again, name) == pytest.approx(getattr(law, name), rel=1e-6), name


def test_one_setting_typed_in_the_parallel_form_leaves_the_other_gains() -> None:
    law, form = LAWS["PID"], FORMS["parallel"]
    kp, ki, kd = form.read(law, 1.0)
    made = form.write(law, (2 * kp, ki, kd), 1.0)
    assert form.read(made, 1.0) == pytest.approx((2 * kp, ki, kd))
    assert made.ti_s == pytest.approx(2 * law.ti_s)
    band = FORMS["band"].write(law, (20.0, law.ti_s, law.td_s), 1.0)
    assert band.kp_per_K == 0.05


def test_what_has_no_equivalent_is_said() -> None:
    pid = LAWS["PID"]
    for form, law, values, said in (
        ("series", with_fields(pid, td_s=80.0), None, "no series form"),
        ("series", with_fields(pid, derivative_weight=0.5), None, "does not see the setpoint"),
        ("parallel", pid, (0.0, 0.1, 0.1), "Kp must be above 0"),
        ("parallel", pid, (0.1, 0.0, 0.1), "choose P"),
        ("parallel", pid, (0.1, -1.0, 0.1), "not below 0"),
        ("samples", pid, (-3.0, 1.0, 1.0), "Kp must be above 0"),
        ("samples", LAWS["PI"], (3.0, -1.0), "not below 0"),
        ("band", pid, (0.0, 10.0, 1.0), "above 0"),
        ("series", pid, (0.1, 0.0, 1.0), "integral time"),
        ("standard", pid, (1e9, 10.0, 1.0), "cannot be"),
        ("parallel", pid, (1e-6, 1e3, 0.0), "cannot be"),
    ):
        of = FORMS[form]
        with pytest.raises(FormError, match=said) as caught:
            of.read(law, 1.0) if values is None else of.write(law, values, 1.0)
        assert str(caught.value).count("\n") == 0
