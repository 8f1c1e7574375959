"""python -m practice_network --port NUMBER --store FILE: serves the practice network; its keys are in CLABO_NETWORK_KEYS."""

from __future__ import annotations

import argparse
import os
import sys
import threading
from pathlib import Path

import uvicorn

from practice_network.api import make
from practice_network.clock import run
from practice_network.visitors import Web


def main() -> None:
    """Serve until stopped."""
    parser = argparse.ArgumentParser(prog="practice_network", description="The practice ad network.")
    parser.add_argument("--host", default="127.0.0.1")
    parser.add_argument("--port", type=int, default=8004)
    parser.add_argument("--store", type=Path, required=True)
    parser.add_argument("--currency", default="EUR")
    parser.add_argument(
        "--served", action="append", default=[], metavar="HOST=ORIGIN", help="where a host's pages really are"
    )
    asked = parser.parse_args()
    keys = frozenset(filter(None, os.environ.get("CLABO_NETWORK_KEYS", "").split(",")))
    if not keys:
        sys.exit("The practice network needs a key: set CLABO_NETWORK_KEYS.")
    app = make(asked.store, keys, asked.currency)
    web = Web(dict(pair.split("=", 1) for pair in asked.served))
    threading.Thread(target=run, args=(app.state.network.store, web), daemon=True).start()
    uvicorn.run(app, host=asked.host, port=asked.port, log_level="warning")


if __name__ == "__main__":
    main()
