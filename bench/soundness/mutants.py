"""How many changes of the core no test notices: a seeded sample of cosmic-ray's mutants, each against the core's tests.

SAMPLE mutants (default 120), in two copies of the tree so that both cores have something to do. Prints the share that
survived, with its interval, and each survivor as a diff, to be judged: some change nothing that can be seen.
"""

from __future__ import annotations

import os
import random
import shutil
import sqlite3
import subprocess
import sys
import tempfile
import threading
from pathlib import Path

from bench.common import machine, table
from clabo.core.evidence import rate_interval

ROOT = Path(__file__).resolve().parents[2]
SAMPLE = int(os.environ.get("SAMPLE", "120"))
SEED = int(os.environ.get("SEED", "1"))
COPIES = 2
# Hypothesis with few examples, and no database of its own: a killed mutant must not teach the next run.
TESTS = "{python} nearest_first.py"
# The tests that name the changed module go first: most mutants fall within seconds, and all others meet every test.
NEAREST_FIRST = """
import sys, unittest
from pathlib import Path

changed = max(Path("clabo/core").rglob("*.py"), key=lambda path: path.stat().st_mtime)

def flat(suite):
    for test in suite:
        yield from flat(test) if isinstance(test, unittest.TestSuite) else [test]

def distance(test):
    source = Path(sys.modules[type(test).__module__].__file__)
    if changed.stem in source.stem:
        return 0
    return 1 if changed.stem in source.read_text() else 2

tests = list(flat(unittest.defaultTestLoader.discover("clabo/core", top_level_dir=".")))
done = unittest.TextTestRunner(failfast=True).run(unittest.TestSuite(sorted(tests, key=distance)))
sys.exit(not done.wasSuccessful())
"""
CONFIG = """[cosmic-ray]
module-path = "clabo/core"
timeout = 400.0
excluded-modules = ["clabo/core/tests/*", "clabo/core/*/tests/*", "clabo/core/*/__init__.py", "clabo/core/*/*/__init__.py", "clabo/core/__init__.py"]
test-command = "{tests}"

[cosmic-ray.distributor]
name = "local"
"""


def tree() -> Path:
    """A copy of what the core's tests need."""
    folder = Path(tempfile.mkdtemp(prefix="mutants-"))
    ignored = shutil.ignore_patterns("__pycache__", "node_modules", ".hypothesis")
    shutil.copytree(ROOT / "clabo" / "core", folder / "clabo" / "core", ignore=ignored)
    # What the core says is compared in words, by the room that has them.
    words = folder / "clabo" / "platform" / "wording"
    shutil.copytree(ROOT / "clabo" / "platform" / "wording", words, ignore=ignored)
    (words.parent / "__init__.py").touch()
    (folder / "plain_settings.py").write_text('SECRET_KEY = "only-for-mutants"\nUSE_I18N = False\n')
    (folder / "nearest_first.py").write_text(NEAREST_FIRST)
    shutil.copy(ROOT / "clabo" / "__init__.py", folder / "clabo" / "__init__.py")
    for beside in ("tag", "web"):
        (folder / beside).symlink_to(ROOT / beside)
    return folder


def run(folder: Path, *words: str) -> str:
    done = subprocess.run(
        [*words],
        cwd=folder,
        capture_output=True,
        text=True,
        check=False,
        env={
            **os.environ,
            "PYTHONPATH": ".",
            "PYTHONDONTWRITEBYTECODE": "1",
            "DJANGO_SETTINGS_MODULE": "plain_settings",
        },
    )
    return done.stdout + done.stderr


def sampled(folder: Path, part: int) -> int:
    """Prepare a copy's session with its part of the sample; how many mutants there are in all."""
    tests = TESTS.format(python=sys.executable)
    (folder / "mutants.toml").write_text(CONFIG.format(tests=tests))
    run(folder, "cosmic-ray", "init", "mutants.toml", "mutants.sqlite")
    with sqlite3.connect(folder / "mutants.sqlite") as session:
        # Job ids are random: what is drawn are places in the order of module, operator and occurrence.
        every = [
            row[0]
            for row in session.execute(
                # A | that becomes another operator stands in a type: nothing reads it when the code runs.
                # `is` for `==` between names that Python keeps once says the same, and is what a linter finds.
                "SELECT job_id FROM mutation_specs WHERE operator_name NOT LIKE '%BitOr%' "
                "AND operator_name NOT LIKE '%Eq_Is%' "
                "ORDER BY module_path, operator_name, occurrence"
            )
        ]
        left_out = "operator_name LIKE '%BitOr%' OR operator_name LIKE '%Eq_Is%'"
        for name in ("work_items", "mutation_specs"):
            session.execute(
                f"DELETE FROM {name} WHERE job_id IN (SELECT job_id FROM mutation_specs WHERE {left_out})"
            )
        chosen = random.Random(SEED).sample(range(len(every)), min(SAMPLE, len(every)))[part::COPIES]
        keep = {every[place] for place in chosen}
        for name in ("mutation_specs", "work_items"):
            session.executemany(
                f"DELETE FROM {name} WHERE job_id = ?", [(e,) for e in every if e not in keep]
            )
    return len(every)


def main() -> None:
    folders = [tree() for _ in range(COPIES)]
    whole, *_ = [sampled(folder, part) for part, folder in enumerate(folders)]
    base = run(folders[0], *TESTS.format(python=sys.executable).split())
    if "\nOK" not in base:
        raise SystemExit(f"the core's tests fail without any mutant:\n{base[-2000:]}")
    threads = [
        threading.Thread(target=run, args=(folder, "cosmic-ray", "exec", "mutants.toml", "mutants.sqlite"))
        for folder in folders
    ]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    survivors: list[tuple[str, str]] = []
    tried = by_clock = 0
    for folder in folders:
        with sqlite3.connect(folder / "mutants.sqlite") as session:
            rows = session.execute(
                "SELECT s.module_path, r.test_outcome, r.diff, r.output FROM work_results r "
                "JOIN mutation_specs s ON s.job_id = r.job_id WHERE r.worker_outcome = 'NORMAL'"
            ).fetchall()
        tried += len(rows)
        survivors += [(path, diff) for path, outcome, diff, _ in rows if "SURVIVED" in str(outcome).upper()]
        # Killed because the tests did not end in time: a loop, or a machine that was busy.
        by_clock += sum("timeout" in str(output).lower() for *_, output in rows)
        shutil.rmtree(folder)
    for path, diff in sorted(survivors):
        changed = [line for line in diff.splitlines() if line[:1] in "+-" and line[:3] not in ("+++", "---")]
        print(path, *changed, sep="\n    ")
    i = rate_interval(len(survivors), tried)
    print(f"\n{machine()}\n")
    table(
        ["mutants of the core", "tried", "survived", "share, 95 % interval", "ended by the clock"],
        [
            [
                *(str(whole), str(tried), str(len(survivors))),
                f"{i.estimate:.1%} ({i.low:.1%} to {i.high:.1%})",
                str(by_clock),
            ]
        ],
    )


if __name__ == "__main__":
    main()
