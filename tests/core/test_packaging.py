"""What a distribution needs: entry, type of file, man page, completion, and what it runs on, as the program is."""

import configparser
import subprocess
import sys
import xml.etree.ElementTree as ET
from pathlib import Path

import pytest
import typer

from kelvarn import __version__
from kelvarn.cli.app import app
from kelvarn.files.project_file import SUFFIX, save
from kelvarn.model.project import Project
from tests.core.commands import kelvarn

ROOT = Path(__file__).parents[2]
SHARE = ROOT / "packaging" / "share"
NAME = "org.kelvarn.Kelvarn"

if not SHARE.is_dir():
    pytest.skip("an installed package has no packaging/", allow_module_level=True)


def _commands() -> dict[str, typer.core.TyperCommand]:
    group = typer.main.get_command(app)
    return {name: each for name, each in group.commands.items() if not each.hidden}  # type: ignore[attr-defined]


def _made(script: str) -> str:
    return subprocess.run(
        [sys.executable, ROOT / "packaging" / script], capture_output=True, text=True, check=True, timeout=120
    ).stdout


def test_a_project_is_known_by_its_first_bytes_and_its_name(cabinet: Project, tmp_path: Path) -> None:
    save(cabinet, tmp_path / f"a{SUFFIX}")
    content = (tmp_path / f"a{SUFFIX}").read_bytes()
    space = {"m": "http://www.freedesktop.org/standards/shared-mime-info"}
    kind = ET.parse(SHARE / "mime" / "packages" / f"{NAME}.xml").getroot().find("m:mime-type", space)
    assert kind is not None
    matches = list(kind.iter(f"{{{space['m']}}}match"))
    assert len(matches) == 2
    for match in matches:
        wanted = match.attrib["value"].encode().decode("unicode_escape").encode("latin-1")
        at = int(match.attrib["offset"])
        assert content[at : at + len(wanted)] == wanted
    glob = kind.find("m:glob", space)
    assert glob is not None
    assert glob.attrib["pattern"] == f"*{SUFFIX}"


def test_entry_type_and_store_speak_of_the_same(tmp_path: Path) -> None:
    entry = configparser.ConfigParser(interpolation=None)
    entry.optionxform = str  # type: ignore[assignment, method-assign]
    entry.read(SHARE / "applications" / f"{NAME}.desktop")
    told = entry["Desktop Entry"]
    assert (told["Exec"], told["Icon"], told["MimeType"]) == ("kelvarn %f", NAME, "application/x-kelvarn;")
    store = ET.parse(SHARE / "metainfo" / f"{NAME}.metainfo.xml").getroot()
    assert store.findtext("launchable") == f"{NAME}.desktop"
    assert store.findtext("provides/mediatype") == "application/x-kelvarn"
    release = store.find("releases/release")
    assert release is not None
    assert release.attrib["version"] == __version__
    icon = SHARE / "icons" / "hicolor" / "scalable" / "apps" / f"{NAME}.svg"
    own = ROOT / "src" / "kelvarn" / "desktop" / "pictures" / "kelvarn.svg"
    assert icon.read_bytes() == own.read_bytes()
    assert ET.parse(icon).getroot().attrib["viewBox"] == "0 0 64 64"


def test_man_page_and_completion_have_every_command_and_option() -> None:
    page, completion = _made("man"), _made("completion")
    for name, command in _commands().items():
        assert f".SS kelvarn {name.replace('-', chr(92) + '-')}" in page, name
        line = next(each for each in completion.splitlines() if each.strip().startswith(f"{name})"))
        for option in command.params:
            long = [text for text in option.opts if text.startswith("--")]
            assert all(f"{text} " in line.replace("'", " ") for text in long), (name, long)
    assert subprocess.run(["bash", "-n"], input=completion, text=True, check=False, timeout=120).returncode == 0


def test_what_it_runs_on_is_told_without_anything_of_the_user() -> None:
    done = kelvarn("--version", "--verbose")
    lines = done.stdout.splitlines()
    assert lines[0] == f"kelvarn {__version__} (MIT)"
    assert any(line.startswith("numpy ") and "(" in line for line in lines)
    assert not any("not installed" in line or str(Path.home()) in line for line in lines)
    assert kelvarn("--version").stdout == f"kelvarn {__version__}\n"
