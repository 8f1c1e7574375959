"""Known vulnerabilities of what Clabo is built with: pip-audit and npm audit, where their databases can be reached."""

from __future__ import annotations

import json
import shutil
import subprocess
from pathlib import Path

ROOT = Path(__file__).resolve().parents[2]
SECONDS = 120


def asked(*words: str, folder: Path = ROOT) -> str:
    """What a program prints, or why it could not be asked."""
    if shutil.which(words[0]) is None:
        return f"{words[0]} is not installed"
    try:
        done = subprocess.run(words, cwd=folder, capture_output=True, text=True, timeout=SECONDS, check=False)
    except subprocess.TimeoutExpired:
        return f"no answer within {SECONDS} s"
    return done.stdout or done.stderr


def npm(folder: str) -> str:
    """One line on a lock file of npm's."""
    said = asked("npm", "audit", "--json", folder=ROOT / folder)
    try:
        found = json.loads(said)
        counts = found["metadata"]["vulnerabilities"]
    except (ValueError, KeyError, TypeError):
        return "the database of advisories cannot be reached from here: nothing is known"
    return ", ".join(f"{n} {how}" for how, n in counts.items() if n) or "nothing known"


def python(lock: str) -> str:
    """One line on a lock file of pip's."""
    said = asked("pip-audit", "--requirement", lock, "--require-hashes", "--disable-pip", "--format", "json")
    try:
        found = json.loads(said)["dependencies"]
    except (ValueError, KeyError, TypeError):
        last = said.strip().splitlines()[-1:] or ["no answer"]
        return f"nothing is known: {last[0][:160]}"
    bad = [f"{d['name']} {v['id']}" for d in found for v in d.get("vulns", [])]
    unasked = sum("skip_reason" in d for d in found)
    return (
        f"{', '.join(bad) or 'nothing known'} ({len(found) - unasked} of {len(found)} packages asked about)"
    )


def main() -> None:
    for lock in ("base", "dev"):
        print(f"requirements/{lock}.txt: {python(f'requirements/{lock}.txt')}")
    for folder in ("web", "tag"):
        print(f"{folder}/package-lock.json: {npm(folder)}")


if __name__ == "__main__":
    main()
