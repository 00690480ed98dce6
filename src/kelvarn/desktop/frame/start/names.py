"""Names of what a kind of rig is made of, in the language in use: from then on they are the project's own."""

from kelvarn.desktop.language import tell
from kelvarn.model.edit import with_fields
from kelvarn.model.project import Project
from kelvarn.model.rig_edit import rename_body, rename_drive, rename_probe
from kelvarn.model.trial_edit import rename_rule


def named(project: Project) -> Project:
    """A project with the names of its parts, guards and trials said in the language in use."""
    for name in project.rig.body_names:
        project = rename_body(project, name, tell(name))
    for k, drive in enumerate(project.rig.drives):
        project = rename_drive(project, k, tell(drive.name))
    for k, probe in enumerate(project.rig.probes):
        project = rename_probe(project, k, tell(probe.name))
    for guard in project.rig.guards:
        project = rename_rule(project, guard.name, tell(guard.name))
    trials = tuple(with_fields(trial, name=tell(trial.name)) for trial in project.trials)
    return with_fields(project, name=tell(project.name), trials=trials)
