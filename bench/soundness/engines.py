"""Every case of clabo/journeys/cases.py in Chromium, Firefox and WebKit: what was expected, and what each engine saw.

WebKit is Debian's MiniBrowser, driven by WebKitWebDriver under a screen that nobody sees.
"""

from __future__ import annotations

import http.client
import json
import os
import socket
import subprocess
import time
from collections import Counter
from contextlib import suppress
from typing import Any

from django.conf import settings
from django.test.utils import get_runner

from bench.common import machine, table
from clabo.journeys.cases import CASES
from clabo.journeys.tests.test_engines import Engine
from clabo.testing.traffic import BROWSER

RESULTS: dict[str, dict[str, tuple[list[str], Counter[str]]]] = {}
MINI = "/usr/lib/x86_64-linux-gnu/webkit2gtk-4.1/MiniBrowser"
# What WebKit's driver cannot do: it runs in the page, with the page's own built-ins, and finds less to press.
NOT_DRIVEN = {"built-ins-replaced", "everything-at-once", "bootstrap-modal-dismissed", "links-of-every-kind"}
KEYS = {"Enter": "\ue007"}
ELEMENT = "element-6066-11e4-a52e-4f735466cecf"
# An element by a path of selectors through shadow trees.
FIND = "return arguments[0].split('>>>').reduce((at, part) => (at.shadowRoot || at).querySelector(part.trim()), document)"


def free_port() -> int:
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        return int(s.getsockname()[1])


class Driver:
    """What of WebDriver (W3C) the cases need."""

    def __init__(self, host: str) -> None:
        self.host = host
        options = {"binary": MINI, "args": ["--automation", f"--user-agent={BROWSER}"]}
        wanted = {"capabilities": {"alwaysMatch": {"webkitgtk:browserOptions": options}}}
        self.session = self.ask("POST", "/session", wanted)["sessionId"]

    def ask(self, method: str, path: str, said: Any = None) -> Any:
        body = json.dumps(said if said is not None else {}).encode() if method == "POST" else None
        link = http.client.HTTPConnection(self.host, timeout=40)
        link.request(method, path, body, {"content-type": "application/json"})
        told = json.loads(link.getresponse().read())["value"]
        link.close()
        if isinstance(told, dict) and "error" in told:
            raise OSError(f"{told['error']}: {told.get('message', '')[:200]}")
        return told

    def do(self, path: str, said: Any = None) -> Any:
        return self.ask("POST", f"/session/{self.session}{path}", said)

    def run(self, code: str, *args: Any) -> Any:
        return self.do("/execute/sync", {"script": code, "args": list(args)})

    def element(self, where: str) -> Any:
        end = time.monotonic() + 5
        while not (found := self.run(FIND, where)):
            if time.monotonic() > end:
                raise TimeoutError(where)
            time.sleep(0.1)
        return found

    def press(self, where: Any, button: int = 0, times: int = 1) -> None:
        moves: list[dict[str, Any]] = [
            {"type": "pointerMove", "duration": 30, "origin": where, "x": 0, "y": 0}
        ]
        for _ in range(times):
            moves += [{"type": "pointerDown", "button": button}, {"type": "pointerUp", "button": button}]
        mouse = {"type": "pointer", "id": "mouse", "parameters": {"pointerType": "mouse"}, "actions": moves}
        self.do("/actions", {"actions": [mouse]})

    def step(self, what: str, *said: Any) -> None:
        if what in ("click", "twice", "middle", "at"):
            self.press(self.element(said[0]), 1 if what == "middle" else 0, 2 if what == "twice" else 1)
        elif what == "fill":
            element = self.element(said[0])
            self.press(element)
            self.do(f"/element/{element[ELEMENT]}/value", {"text": said[1]})
        elif what == "press":
            keys = [{"type": kind, "value": KEYS[said[0]]} for kind in ("keyDown", "keyUp")]
            self.do("/actions", {"actions": [{"type": "key", "id": "keys", "actions": keys}]})
        elif what == "wait":
            time.sleep(said[0] / 1000)
        elif what == "run":
            self.run(said[0])
        elif what == "until":
            end = time.monotonic() + 5
            while not self.run(f"return {said[0]}") and time.monotonic() < end:
                time.sleep(0.1)
        elif what == "open":
            self.do("/url", {"url": said[0]})
        elif what == "back":
            self.do("/back")
        elif what == "mouse":
            moves = [
                {"type": "pointerMove", "duration": 30, "origin": "viewport", "x": said[0], "y": said[1]},
                {"type": "pointerDown", "button": 0},
                {"type": "pointerUp", "button": 0},
            ]
            mouse = {
                "type": "pointer",
                "id": "mouse",
                "parameters": {"pointerType": "mouse"},
                "actions": moves,
            }
            self.do("/actions", {"actions": [mouse]})

    def play(self, case: dict[str, Any]) -> list[str]:
        try:
            self.do("/url", {"url": case["url"]})
            self.step("mouse", 3, 3)
            time.sleep(0.6)
            for what, *said in case["steps"]:
                self.step(what, *said)
                time.sleep(0.12)
            time.sleep(case["hold"] / 1000)
            self.do("/url", {"url": "about:blank"})
            time.sleep(0.3)
            return []
        except Exception as error:
            return [f"driver: {error}"]
        finally:
            with suppress(OSError):
                self.ask("DELETE", f"/session/{self.session}")


class Told(Engine):
    """Notes what was seen instead of judging it."""

    def check(self, only: str = "") -> None:
        undriven = NOT_DRIVEN if self.engine == "webkit" else set()
        cases = [c for c in CASES if only in c.name and c.name not in undriven]
        thrown, seen = self.play(cases)
        RESULTS[self.engine] = {c.name: (thrown.get(c.name, ["not driven"]), seen[c.name]) for c in cases}


class Chromium(Told):
    engine, executable = "chrome", "/usr/bin/chromium"

    def test_every_case(self) -> None:
        self.check(os.environ.get("CASE", ""))


class Firefox(Told):
    engine, executable = "firefox", "/usr/bin/firefox-esr"

    def test_every_case(self) -> None:
        self.check(os.environ.get("CASE", ""))


class WebKit(Told):
    engine = "webkit"

    def test_every_case(self) -> None:
        self.check(os.environ.get("CASE", ""))

    def drive(self, asked: list[dict[str, Any]]) -> dict[str, list[str]]:
        port, screen = free_port(), ":97"
        env = {**os.environ, "DISPLAY": screen, "WEBKIT_DISABLE_COMPOSITING_MODE": "1", "GDK_BACKEND": "x11"}
        shown = subprocess.Popen(["Xvfb", screen, "-screen", "0", "1280x900x24"], stderr=subprocess.DEVNULL)
        driver = subprocess.Popen(["WebKitWebDriver", f"--port={port}"], env=env, stderr=subprocess.DEVNULL)
        try:
            time.sleep(2)
            return {case["name"]: Driver(f"127.0.0.1:{port}").play(case) for case in asked}
        finally:
            driver.kill()
            shown.kill()


def main() -> None:
    runner = get_runner(settings)(interactive=False, verbosity=0)
    names = os.environ.get("ENGINES", "Chromium,Firefox,WebKit").split(",")
    runner.run_tests([f"bench.soundness.engines.{name}" for name in names])
    # The classes that ran are another import of this module's.
    from bench.soundness.engines import RESULTS as FOUND

    print(machine() + "\n")
    rows = []
    agree: Counter[str] = Counter()
    for case in CASES:
        if not any(case.name in found for found in FOUND.values()):
            continue
        expected = Counter(case.expect)
        row = [case.group, case.name, ", ".join(case.expect) or "nothing"]
        for engine in ("chrome", "firefox", "webkit"):
            if engine == "webkit" and case.name in NOT_DRIVEN:
                row.append("not driven")
                continue
            thrown, seen = FOUND.get(engine, {}).get(case.name, (["–"], Counter()))
            right = not thrown and seen == expected
            agree[engine] += right
            row.append(
                "as expected" if right else "; ".join([*thrown, ", ".join(seen.elements())]).strip("; ")
            )
        rows.append(row)
    table(["", "case", "expected", "Chromium", "Firefox", "WebKit"], rows)
    print("\n" + ", ".join(f"{engine}: {n} of {len(rows)}" for engine, n in agree.items()))


if __name__ == "__main__":
    main()
