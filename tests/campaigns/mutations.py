"""Damaged and hostile project files, and junk that looks like tables: a sentence or a sound project each time.

    python -m tests.campaigns.mutations [COUNT [SEED]]

Each file is loaded in a process that may take 1 GB and 10 s; what comes of a sound one must survive saving. Prints
what was found; ends with 1 where something was.
"""

import copy
import json
import multiprocessing
import random
import re
import resource
import sys
import tempfile
import time
import zipfile
from collections import Counter
from pathlib import Path
from typing import Any

from kelvarn.demos import DEMOS
from kelvarn.files.faults import FileError
from kelvarn.files.project_file import load, to_json
from tests.conftest import again

_MOST_BYTES, _MOST_S = 1_000_000_000, 10.0
_JUNK: tuple[Any, ...] = (
    None, True, False, 0, -1, 1e308, -1e308, 1e-320, float("nan"), float("inf"), 10**400, "", "x" * 10_000, "\x00",
    "\ud800", "\x1b[2J", "yes", "1", [], {}, [[]], {"a": 1}, [None] * 1000, "surroundings", -0.0, 2**63, "=1+1",
)  # fmt: skip
_HEADS = (
    b"time,temp\n",
    b"t;T\n1,5;20,1\n",
    b"\xff\xfet\x00",
    b"\xef\xbb\xbftime\tT\n",
    b"# log\n",
    b"{",
    b"PK\x03\x04",
)


def _replaced(document: Any, rng: random.Random) -> None:
    """Put junk, a copy of something else or nothing in a place of a document; or another key."""
    for _ in range(rng.randint(1, 4)):
        at = document
        while True:
            keys = list(at) if isinstance(at, dict) else list(range(len(at)))
            if not keys:
                break
            key = rng.choice(keys)
            if isinstance(at[key], dict | list) and at[key] and rng.random() < 0.75:
                at = at[key]
                continue
            deed = rng.random()
            if deed < 0.6:
                at[key] = copy.deepcopy(rng.choice(_JUNK))
            elif deed < 0.75:
                del at[key]
            elif deed < 0.9 and isinstance(at, list):
                at += [copy.deepcopy(at[key]) for _ in range(rng.choice((1, 2, 100)))]
            elif isinstance(at, dict):
                at[rng.choice(("x", "k" * 9000, "a\x1bb", "kind", "name"))] = copy.deepcopy(rng.choice(_JUNK))
            break


def _bytes(rng: random.Random) -> bytes:
    """Some file."""
    text = to_json(rng.choice(DEMOS).build())
    way = rng.random()
    if way < 0.08:
        return rng.choice(_HEADS) + bytes(rng.randrange(256) for _ in range(rng.randrange(3000)))
    if way < 0.16:
        rows = "\n".join(
            ",".join(rng.choice(("1", "-2.5", "nan", "=1", "", "12:00", "°C")) for _ in range(4)) for _ in range(200)
        )
        return rows.encode()
    if way < 0.75:
        document = json.loads(text)
        _replaced(document, rng)
        content = json.dumps(document, ensure_ascii=rng.random() < 0.5).encode("utf-8", "surrogatepass")
    else:
        raw = bytearray(text.encode())
        for _ in range(rng.randint(1, 20)):
            raw[rng.randrange(len(raw))] = rng.randrange(256)
        content = bytes(raw[: rng.randrange(len(raw))] if rng.random() < 0.3 else raw)
    name = rng.choice(("project.json",) * 9 + ("../x", "a\nb", "logs/x.csv"))
    packing = rng.choice((zipfile.ZIP_DEFLATED,) * 6 + (zipfile.ZIP_STORED, zipfile.ZIP_BZIP2, zipfile.ZIP_LZMA))
    with tempfile.TemporaryFile() as stream:
        with zipfile.ZipFile(stream, "w", packing) as archive:
            archive.writestr(name, content)
        stream.seek(0)
        made = bytearray(stream.read())
    if rng.random() < 0.3:
        for _ in range(rng.randint(1, 10)):
            made[rng.randrange(len(made))] = rng.randrange(256)
    if rng.random() < 0.1:
        del made[rng.randrange(len(made)) :]
    return bytes(made)


def _try(job: tuple[int, int]) -> list[str]:
    """Load some files; what was found."""
    seed, count = job
    resource.setrlimit(resource.RLIMIT_AS, (_MOST_BYTES + 3_000_000_000, _MOST_BYTES + 3_000_000_000))
    rng, found, kinds = random.Random(seed), list[str](), Counter[str]()
    base = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    path = Path(tempfile.mkdtemp()) / "x.kelvarn"
    for k in range(count):
        content = _bytes(rng)
        path.write_bytes(content)
        begun = time.perf_counter()
        try:
            project = load(path)
            if again(project) != project:
                found.append(f"{seed}/{k}: what it saves is not what it loaded")
        except FileError as error:
            said = str(error)
            kinds["sentence"] += 1
            if any((ord(c) < 32 and c != "\n") or 126 < ord(c) < 160 for c in said) or re.search(
                r"\.\.$", said, re.MULTILINE
            ):
                found.append(f"{seed}/{k}: {said[:200]!r}")
            if len(said) > 5000 or "input should" in said.lower() or "Traceback" in said:
                found.append(f"{seed}/{k}: {said[:200]!r}")
        except BaseException as error:
            found.append(f"{seed}/{k}: {type(error).__name__}: {str(error)[:200]}")
        took = time.perf_counter() - begun
        if took > _MOST_S:
            found.append(f"{seed}/{k}: took {took:.1f} s")
    grown = (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - base) * 1000
    if grown > _MOST_BYTES:
        found.append(f"{seed}: took {grown / 1e9:.2f} GB")
    return found


def main() -> int:
    """Run the campaign; the exit code."""
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 10_000
    seed = int(sys.argv[2]) if len(sys.argv) > 2 else 1
    jobs = [(seed * 1000 + k, 100) for k in range(max(1, count // 100))]
    found: list[str] = []
    begun = time.perf_counter()
    with multiprocessing.get_context("spawn").Pool(2) as pool:
        for k, each in enumerate(pool.imap_unordered(_try, jobs)):
            found += each
            if (k + 1) % 10 == 0:
                print(f"{(k + 1) * 100} files, {len(found)} faults, {time.perf_counter() - begun:.0f} s", flush=True)
    for fault in found[:50]:
        print(fault)
    return 1 if found else 0


if __name__ == "__main__":
    sys.exit(main())
