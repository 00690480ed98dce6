"""A copy with other values knows nothing of what was worked out of the old ones."""

from kelvarn.demos.cure_cabinet import cure_cabinet
from kelvarn.model.events import DoorOpens


def test_a_copy_with_other_values_works_out_anew_what_was_kept() -> None:
    project = cure_cabinet()
    rig, trial = project.rig, project.first_trial
    assert rig.all_bodies == rig.bodies
    assert trial.occurrences == trial.events
    warm = rig.model_copy(update={"bodies": tuple(b.model_copy(update={"start_degC": 50.0}) for b in rig.bodies)})
    assert {body.start_degC for body in warm.all_bodies} == {50.0}
    again = DoorOpens(name="Again", at_s=60, lasts_s=5, body="Air", to="surroundings")
    assert trial.model_copy(update={"events": (again,)}).occurrences == (again,)
    assert hash(warm) == hash(type(warm).model_validate(warm.model_dump()))
