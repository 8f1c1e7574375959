"""python -m clabo.network --port NUMBER --store FILE: serves the practice network; its keys are in CLABO_NETWORK_KEYS."""

from __future__ import annotations

import argparse
import os
import sys
from pathlib import Path

import uvicorn

from clabo.network.api import make


def main() -> None:
    """Serve until stopped."""
    parser = argparse.ArgumentParser(prog="clabo.network", description="The practice ad network.")
    parser.add_argument("--host", default="127.0.0.1")
    parser.add_argument("--port", type=int, default=8004)
    parser.add_argument("--store", type=Path, required=True)
    parser.add_argument("--currency", default="EUR")
    asked = parser.parse_args()
    keys = frozenset(filter(None, os.environ.get("CLABO_NETWORK_KEYS", "").split(",")))
    if not keys:
        sys.exit("The practice network needs a key: set CLABO_NETWORK_KEYS.")
    uvicorn.run(
        make(asked.store, keys, asked.currency), host=asked.host, port=asked.port, log_level="warning"
    )


if __name__ == "__main__":
    main()
