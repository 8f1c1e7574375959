"""The network's own time: plans go on as it goes by, and whoever clicks goes where the ad leads."""

from __future__ import annotations

import logging
import sqlite3
import time
from concurrent.futures import ThreadPoolExecutor
from random import Random

import numpy as np

from practice_network.running import Clicked, go_on
from practice_network.simulation.practice import read
from practice_network.store import Store
from practice_network.visitors import Web, visit

log = logging.getLogger(__name__)

EVERY_SECONDS = 20.0
AT_ONCE = 4


def run(store: Store, web: Web) -> None:
    """For as long as the process lives."""
    chance = np.random.default_rng()
    with ThreadPoolExecutor(AT_ONCE) as pool:
        while True:
            try:
                for who in tick(store, chance):
                    pool.submit(visit, web, who, Random())
            except sqlite3.Error:
                log.exception("the plans wait")
            time.sleep(EVERY_SECONDS)


def tick(store: Store, chance: np.random.Generator) -> list[Clicked]:
    """Let the time since the last tick go by, unless the network is away; who was led away by an ad."""
    if read(store).away:
        return []
    with store.changing() as db:
        return go_on(db, time.time(), chance)
