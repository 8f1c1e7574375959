"""What can be asked of a person's history: a rule over events, a fact of a visit, a conversion, a variant; another
audience, a list.

Each stands in a definition under a key of its own; whatever has none of these keys is a rule.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Mapping
from dataclasses import dataclass, field, fields
from datetime import date, datetime
from typing import Any, ClassVar, Self

from clabo.core import rules
from clabo.core.pages.addresses import PLAIN, PageReading
from clabo.core.pages.traffic_source import CHANNELS
from clabo.core.rules.errors import RuleError, maybe_text, one_of, only, whole

LETTERS = tuple("ABCDEFGH")
DEVICES = ("desktop", "phone", "tablet")
SUB_IDS = tuple(f"sub{n}" for n in range(1, 6))


@dataclass(frozen=True, slots=True)
class Arrival:
    """What a visit began with; `first` where it is its visitor's first."""

    channel: str = ""
    source: str = ""
    medium: str = ""
    campaign: str = ""
    ad_group: str = ""
    ad: str = ""
    sub_ids: Mapping[str, str] = field(default_factory=dict)
    device: str = ""
    first: bool = False


@dataclass(frozen=True, slots=True)
class Happening:
    """One thing in a person's history: an event, the beginning of a visit, a conversion, or the first sight of a variant.

    `day` is the site's.
    """

    time: datetime
    day: date
    event: rules.Occurrence | None = None
    arrival: Arrival | None = None
    conversion: int | None = None
    # Split test and letter.
    variant: tuple[int, str] | None = None
    # What it is to whoever keeps it, for showing.
    about: Any = None


class What(ABC):
    """One thing that can be asked: frozen, and equal to what its JSON reads."""

    key: ClassVar[str]
    # Whether it happens at a time, so that it can be counted and be a step of a sequence.
    timed: ClassVar[bool] = True

    @classmethod
    @abstractmethod
    def read(cls, data: Any) -> Self:
        """What JSON `data` under the key states; raises RuleError."""

    @abstractmethod
    def json(self) -> dict[str, Any]:
        """The whole JSON, key included."""

    @abstractmethod
    def met(self, h: Happening) -> bool:
        """Whether `h` is that."""


@dataclass(frozen=True, slots=True)
class Happened(What):
    """An event that meets a rule."""

    rule: rules.Rule
    key: ClassVar[str] = ""

    @classmethod
    def read(cls, data: Any, reading: PageReading = PLAIN) -> Self:
        """The rule; what must not be belongs under `exclude`."""
        rule = rules.part_of(data, reading)
        if isinstance(rule, rules.Not):
            raise RuleError("", "exclude_instead")
        return cls(rule)

    def json(self) -> dict[str, Any]:
        """The rule's."""
        return rules.as_json(self.rule)

    def met(self, h: Happening) -> bool:
        """Whether the event meets the rule."""
        return h.event is not None and rules.meets(self.rule, h.event)


@dataclass(frozen=True, slots=True)
class Converted(What):
    """A conversion, by its rule's id."""

    conversion: int
    key: ClassVar[str] = "conversion"

    @classmethod
    def read(cls, data: Any) -> Self:
        """An id."""
        return cls(whole({"conversion": data}, "conversion", 1, 2**31 - 1))

    def json(self) -> dict[str, Any]:
        """As read."""
        return {"conversion": self.conversion}

    def met(self, h: Happening) -> bool:
        """Whether it is one of these."""
        return h.conversion == self.conversion


@dataclass(frozen=True, slots=True)
class Came(What):
    """A visit from somewhere. What is not given is not asked; `sub_ids` are pairs of name and value."""

    channel: str = ""
    source: str = ""
    medium: str = ""
    campaign: str = ""
    ad_group: str = ""
    ad: str = ""
    sub_ids: tuple[tuple[str, str], ...] = ()
    key: ClassVar[str] = "came"

    @classmethod
    def read(cls, data: Any) -> Self:
        """Texts by name, at least one."""
        if not isinstance(data, Mapping):
            raise RuleError("came", "needs_object", key="came")
        names = [f.name for f in fields(cls) if f.name != "sub_ids"]
        only(data, {*names, *SUB_IDS})
        if "channel" in data:
            one_of(data, "channel", CHANNELS)
        texts = {name: maybe_text(data, name) for name in names}
        sub_ids = tuple((name, text) for name in SUB_IDS if (text := maybe_text(data, name)))
        if not sub_ids and not any(texts.values()):
            raise RuleError("came", "ask_where_from")
        return cls(**texts, sub_ids=sub_ids)

    def json(self) -> dict[str, Any]:
        """As read."""
        texts = {f.name: getattr(self, f.name) for f in fields(self) if f.name != "sub_ids"}
        return {"came": {k: v for k, v in texts.items() if v} | dict(self.sub_ids)}

    def met(self, h: Happening) -> bool:
        """Whether the visit began like that."""
        a = h.arrival
        return (
            a is not None
            and all(
                # Names are alike in any case, as they are where spend is joined.
                not (asked := getattr(self, name)) or asked.lower() == getattr(a, name).lower()
                for name in ("channel", "source", "medium", "campaign", "ad_group", "ad")
            )
            and all(a.sub_ids.get(name) == value for name, value in self.sub_ids)
        )


@dataclass(frozen=True, slots=True)
class OnDevice(What):
    """A visit on a class of device."""

    device: str
    key: ClassVar[str] = "device"

    @classmethod
    def read(cls, data: Any) -> Self:
        """One of DEVICES."""
        return cls(one_of({"device": data}, "device", DEVICES))

    def json(self) -> dict[str, Any]:
        """As read."""
        return {"device": self.device}

    def met(self, h: Happening) -> bool:
        """Whether the visit was on one."""
        return h.arrival is not None and h.arrival.device == self.device


@dataclass(frozen=True, slots=True)
class Visited(What):
    """A visit: the visitor's first ("new"), a later one ("returning"), or any ("any")."""

    which: str
    key: ClassVar[str] = "visit"

    @classmethod
    def read(cls, data: Any) -> Self:
        """One of new, returning and any."""
        return cls(one_of({"visit": data}, "visit", ("any", "new", "returning")))

    def json(self) -> dict[str, Any]:
        """As read."""
        return {"visit": self.which}

    def met(self, h: Happening) -> bool:
        """Whether it is such a visit."""
        return h.arrival is not None and (self.which == "any" or h.arrival.first == (self.which == "new"))


@dataclass(frozen=True, slots=True)
class InAudience(What):
    """Being in another audience now."""

    audience: int
    key: ClassVar[str] = "audience"
    timed: ClassVar[bool] = False

    @classmethod
    def read(cls, data: Any) -> Self:
        """An id."""
        return cls(whole({"audience": data}, "audience", 1, 2**31 - 1))

    def json(self) -> dict[str, Any]:
        """As read."""
        return {"audience": self.audience}

    def met(self, h: Happening) -> bool:
        """Nothing that happens makes it so by itself."""
        return False


@dataclass(frozen=True, slots=True)
class SawVariant(What):
    """The first sight of a split test's variant."""

    test: int
    letter: str
    key: ClassVar[str] = "variant"

    @classmethod
    def read(cls, data: Any) -> Self:
        """A test's id and a letter."""
        if not isinstance(data, Mapping):
            raise RuleError("variant", "needs_object", key="variant")
        only(data, {"test", "letter"})
        return cls(whole(data, "test", 1, 2**31 - 1), one_of(data, "letter", LETTERS))

    def json(self) -> dict[str, Any]:
        """As read."""
        return {"variant": {"test": self.test, "letter": self.letter}}

    def met(self, h: Happening) -> bool:
        """Whether it is that."""
        return h.variant == (self.test, self.letter)


@dataclass(frozen=True, slots=True)
class InList(What):
    """Being on a list of identities now."""

    list: int
    key: ClassVar[str] = "list"
    timed: ClassVar[bool] = False

    @classmethod
    def read(cls, data: Any) -> Self:
        """An id."""
        return cls(whole({"list": data}, "list", 1, 2**31 - 1))

    def json(self) -> dict[str, Any]:
        """As read."""
        return {"list": self.list}

    def met(self, h: Happening) -> bool:
        """Nothing that happens makes it so by itself."""
        return False


WHATS: dict[str, type[What]] = {
    w.key: w for w in (Converted, Came, OnDevice, Visited, SawVariant, InAudience, InList)
}


def read_what(data: Any, reading: PageReading = PLAIN) -> What:
    """What JSON `data` asks, on a site that reads its addresses so. Raises RuleError."""
    if isinstance(data, Mapping) and len(data) == 1:
        key, inner = next(iter(data.items()))
        if key in WHATS:
            return WHATS[key].read(inner)
    return Happened.read(data, reading)
