"""Programs that read pages and say so."""

from __future__ import annotations

import re
from functools import lru_cache

import crawleruseragents

# What the list of known crawlers misses: the unknown ones with a usual name.
_SAYS_SO = re.compile(r"bot\b|crawler|spider|headless", re.IGNORECASE)


@lru_cache(maxsize=8192)
def is_robot(user_agent: str) -> bool:
    """Whether it is a crawler that says so, or none at all, which no browser has.

    Examples
    --------
    >>> is_robot("Mozilla/5.0 (compatible; examplebot/2.1)"), is_robot("")
    (True, True)
    """
    return not user_agent or bool(_SAYS_SO.search(user_agent)) or crawleruseragents.is_crawler(user_agent)
