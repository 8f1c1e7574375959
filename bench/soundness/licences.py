"""The licences of all that Clabo is built with, as the packages themselves state them; written to docs/licences.md."""

from __future__ import annotations

import json
import re
from importlib.metadata import Distribution, distributions
from pathlib import Path

ROOT = Path(__file__).resolve().parents[2]
LOCKED = re.compile(r"^([A-Za-z0-9_.-]+)==([^ ]+)", re.MULTILINE)


def plain(name: str) -> str:
    """A package's name as indexes compare it (PEP 503)."""
    return re.sub(r"[-_.]+", "-", name).lower()


def licence_of(package: Distribution) -> str:
    """What a Python package says of itself, shortest form first."""
    about = package.metadata
    if said := about.get("License-Expression"):
        return str(said)
    classifiers = [
        c.rpartition(" :: ")[2] for c in about.get_all("Classifier") or [] if c.startswith("License ::")
    ]
    if classifiers:
        return ", ".join(sorted(set(classifiers)))
    return (about.get("License") or "not stated").splitlines()[0][:60]


def python_rows() -> list[tuple[str, str, str, str]]:
    """Name, version, licence, and whether it runs or only tests."""
    base = {plain(n) for n, _ in LOCKED.findall((ROOT / "requirements/base.txt").read_text())}
    wanted = base | {plain(n) for n, _ in LOCKED.findall((ROOT / "requirements/dev.txt").read_text())}
    found = {plain(d.metadata["Name"]): d for d in distributions()}
    return [
        (name, found[name].version, licence_of(found[name]), "runs" if name in base else "tests")
        for name in sorted(wanted)
        if name in found
    ]


def node_rows(folder: str) -> list[tuple[str, str, str, str]]:
    """The same of a lock file of npm's; the lock says what only builds or tests."""
    lock = json.loads((ROOT / folder / "package-lock.json").read_text())
    rows = []
    for where, entry in sorted(lock["packages"].items()):
        if not where.startswith("node_modules/"):
            continue
        manifest = ROOT / folder / where / "package.json"
        said = entry.get("license") or (
            json.loads(manifest.read_text()).get("license", "not stated")
            if manifest.exists()
            else "not stated"
        )
        use = "builds or tests" if entry.get("dev") or folder == "tag" else "runs"
        rows.append((where.removeprefix("node_modules/"), entry.get("version", ""), str(said), use))
    return rows


def main() -> None:
    parts = [
        ("Python", python_rows()),
        ("Interface", node_rows("web")),
        ("The tag's tests", node_rows("tag")),
    ]
    lines = [
        "# Licences",
        "",
        "Clabo is under the Apache License 2.0 (LICENSE). What it is built with, as each package states it; `./bench/run licences` writes this anew.",
    ]
    for title, rows in parts:
        lines += ["", f"## {title}", "", "| package | version | licence | |", "|---|---|---|---|"]
        lines += [f"| {name} | {version} | {licence} | {use} |" for name, version, licence, use in rows]
    (ROOT / "docs" / "licences.md").write_text("\n".join(lines) + "\n")
    unknown = [
        f"{name} {version}"
        for _, rows in parts
        for name, version, licence, _ in rows
        if licence == "not stated"
    ]
    print(
        sum(len(rows) for _, rows in parts),
        "packages;",
        len(unknown),
        "do not state a licence:",
        ", ".join(unknown),
    )


if __name__ == "__main__":
    main()
