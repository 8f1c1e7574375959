"""Who may be in a split test: what a browser can decide by itself, and an audience (definitions: "Split tests").

JSON is an object with any of `devices`, `visits`, `came` and `audience`, which the server is asked for; the rest the tag decides by the same JSON (tag/src/entrants.ts), and both
are held to tag/entrant-vectors.json. Whoever has once been let in stays in, however they come later.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from typing import Any, Literal, get_args

from clabo.core.rules.errors import RuleError, maybe_text, one_of, only, whole

Device = Literal["phone", "tablet", "desktop"]
DEVICES: tuple[Device, ...] = get_args(Device)
Visits = Literal["new", "returning"]
VISITS: tuple[Visits, ...] = get_args(Visits)
MOST_WAYS = 20
MOST_TEXT = 200


@dataclass(frozen=True, slots=True)
class Way:
    """How a visit came: all that is given must hold. Lower case; `referrer` is a host, its subdomains included."""

    source: str = ""
    medium: str = ""
    campaign: str = ""
    referrer: str = ""

    def json(self) -> dict[str, str]:
        """What is given."""
        return {name: value for name, value in asdict(self).items() if value}

    def for_tag(self) -> dict[str, str]:
        """By query parameter, the referrer's host without a name."""
        return {"" if name == "referrer" else f"utm_{name}": value for name, value in self.json().items()}


@dataclass(frozen=True, slots=True)
class Entrants:
    """Who may be in a test; each that is empty lets everybody in."""

    devices: tuple[Device, ...] = ()
    visits: Visits | None = None
    came: tuple[Way, ...] = ()
    # An audience's id.
    audience: int | None = None

    def json(self) -> dict[str, Any]:
        """As `read_entrants` reads it; nothing for everybody."""
        return {
            **({"devices": list(self.devices)} if self.devices else {}),
            **({"visits": self.visits} if self.visits else {}),
            **({"came": [way.json() for way in self.came]} if self.came else {}),
            **({"audience": self.audience} if self.audience else {}),
        }

    def for_tag(self) -> dict[str, Any]:
        """What the tag decides, with as little to compare as can be (tag/src/entrants.ts)."""
        return {
            **({"devices": list(self.devices)} if self.devices else {}),
            **({"first": self.visits == "new"} if self.visits else {}),
            **({"came": [way.for_tag() for way in self.came]} if self.came else {}),
        }


@dataclass(frozen=True, slots=True)
class Facts:
    """What is known of a visitor at the moment of deciding.

    `first`: no visit has come before this one. `parameters`: of the address that the visit began with; `referrer`: the host
    it came from, "" for none.
    """

    device: str
    first: bool
    parameters: Mapping[str, str]
    referrer: str = ""


def read_entrants(data: Any) -> Entrants:
    """Who may be in a test, from JSON.

    Parameters
    ----------
    data : object
        Whatever came as JSON.

    Returns
    -------
    Entrants

    Raises
    ------
    RuleError
        Its `field` is the path to what is wrong, such as `came[1].referrer`.

    Examples
    --------
    >>> read_entrants({"devices": ["phone"], "came": [{"source": "Meadow"}]})
    Entrants(devices=('phone',), visits=None, came=(Way(source='meadow', medium='', campaign='', referrer=''),), audience=None)
    """
    if not isinstance(data, Mapping):
        raise RuleError("", "entrants_no_object")
    only(data, {"devices", "visits", "came", "audience"})
    devices = data.get("devices") or []
    if not isinstance(devices, list) or any(d not in DEVICES for d in devices):
        raise RuleError("devices", "choose_one", choices=list(DEVICES))
    came = data.get("came") or []
    if not isinstance(came, list) or len(came) > MOST_WAYS:
        raise RuleError("came", "entrants_ways", most=MOST_WAYS)
    return Entrants(
        # All of them is any.
        () if len(set(devices)) == len(DEVICES) else tuple(d for d in DEVICES if d in devices),
        one_of(data, "visits", VISITS) if data.get("visits") is not None else None,  # type: ignore[arg-type]
        tuple(dict.fromkeys(_way(one, f"came[{place}]") for place, one in enumerate(came))),
        whole(data, "audience", 1, 2**31 - 1) if data.get("audience") is not None else None,
    )


def _way(data: Any, field: str) -> Way:
    names = ("source", "medium", "campaign", "referrer")
    if not isinstance(data, Mapping) or not set(data) <= set(names):
        raise RuleError(field, "entrants_way", known=list(names))
    try:
        way = Way(*(maybe_text(data, name, MOST_TEXT).lower() for name in names))
    except RuleError as error:
        raise RuleError(f"{field}.{error.field}", error.told.code, **error.told.params) from None
    if way == Way():
        raise RuleError(field, "entrants_way", known=list(names))
    if set(way.referrer) & set("/:?#@ "):
        raise RuleError(f"{field}.referrer", "entrants_host")
    return way


def admits(entrants: Entrants, facts: Facts) -> bool:
    """Whether somebody of whom this is known may enter.

    >>> admits(Entrants(visits="new"), Facts("phone", False, {}))
    False
    """
    return (
        (not entrants.devices or facts.device in entrants.devices)
        and (entrants.visits is None or (entrants.visits == "new") == facts.first)
        and (not entrants.came or any(_comes(way, facts) for way in entrants.came))
    )


def _comes(way: Way, facts: Facts) -> bool:
    named: Sequence[tuple[str, str]] = (
        ("source", way.source),
        ("medium", way.medium),
        ("campaign", way.campaign),
    )
    told = all(
        not wanted or facts.parameters.get(f"utm_{name}", "").lower() == wanted for name, wanted in named
    )
    host = facts.referrer.lower()
    return told and (not way.referrer or host == way.referrer or host.endswith("." + way.referrer))
