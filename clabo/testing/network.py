"""The practice network for tests: served in this process, or in one that can be killed."""

from __future__ import annotations

import json
import os
import signal
import socket
import sqlite3
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Mapping
from http.client import HTTPConnection
from pathlib import Path
from typing import Any, NamedTuple
from unittest import TestCase

import uvicorn
from django.test import override_settings

from practice_network.api import make

KEY = "a-key-for-tests"


class Told(NamedTuple):
    """What a call was answered."""

    status: int
    json: Any
    headers: Mapping[str, str]


def _free_port() -> int:
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        port: int = s.getsockname()[1]
        return port


def served(case: TestCase) -> Network:
    """A network for one test, which channels may speak with."""
    folder = tempfile.TemporaryDirectory()
    case.addCleanup(folder.cleanup)
    network = Network(Path(folder.name))
    case.addCleanup(network.stop)
    there = override_settings(CLABO_NETWORK_URL=network.url)
    there.enable()
    case.addCleanup(there.disable)
    return network


class Network:
    """One network with an empty store in `folder`, without limits of its own until it is told of some."""

    def __init__(self, folder: Path, apart: bool = False) -> None:
        self.store, self.port = folder / "network.sqlite", _free_port()
        self.url = f"http://127.0.0.1:{self.port}"
        self._apart = apart
        self.start()
        self.switch()

    def start(self) -> None:
        """Serve, and wait until it answers."""
        if self._apart:
            words = ["-m", "practice_network", "--port", str(self.port), "--store", str(self.store)]
            self.process = subprocess.Popen(
                [sys.executable, *words], env={**os.environ, "CLABO_NETWORK_KEYS": KEY}
            )
        else:
            self.app = make(self.store, frozenset({KEY}))
            config = uvicorn.Config(self.app, port=self.port, log_level="error")
            self._server = uvicorn.Server(config)
            self._thread = threading.Thread(target=self._server.run, daemon=True)
            self._thread.start()
        for _ in range(200):
            try:
                socket.create_connection(("127.0.0.1", self.port), 1).close()
                return
            except OSError:
                time.sleep(0.1)
        raise AssertionError("the network does not answer")

    def kill(self) -> None:
        """End its process in the midst of whatever it does."""
        self.process.send_signal(signal.SIGKILL)
        self.process.wait()

    def stop(self) -> None:
        """End it."""
        if self._apart:
            self.kill()
        else:
            self._server.should_exit = True
            self._thread.join(10)
            self.app.state.network.store.close()

    def ask(self, method: str, path: str, body: Any = None, **headers: str) -> Told:
        """Call it; `body` is sent as JSON, or as it is where it is bytes or a list of pieces."""
        sent = body if body is None or isinstance(body, bytes | list) else json.dumps(body).encode()
        named = {k.replace("_", "-"): v for k, v in headers.items()}
        connection = HTTPConnection("127.0.0.1", self.port, timeout=60)
        connection.request(
            method,
            path,
            sent,
            {"Authorization": f"Bearer {KEY}", "Content-Type": "application/json", **named},
            encode_chunked=isinstance(sent, list),
        )
        answer = connection.getresponse()
        text, status, told = answer.read(), answer.status, dict(answer.getheaders())
        connection.close()
        return Told(status, json.loads(text or "null"), told)

    def switch(self, **switches: Any) -> None:
        """Turn the switches; what is not named is off."""
        self.ask("PUT", "/practice", {"calls": 10_000, "population": 0, **switches})

    def members(self, list_id: str) -> set[tuple[str, str]]:
        """Who is on a list, as its store has them."""
        db = sqlite3.connect(self.store)
        rows = db.execute("SELECT kind, hex(hash) FROM members WHERE list = ?", (list_id,)).fetchall()
        db.close()
        return {(kind, digits.lower()) for kind, digits in rows}
