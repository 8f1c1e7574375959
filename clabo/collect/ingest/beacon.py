"""What a beacon looks like and what is refused. One place for the collector and the simulator."""

from __future__ import annotations

import re
from typing import Annotated, Literal

import msgspec
from msgspec import Meta

from clabo.collect.ingest.directory import TagSite
from clabo.core.pages.addresses import AddressError, host_of
from clabo.core.rules.occurrence import Kind
from clabo.platform.wording import say

MAX_BODY = 64 * 1024
MAX_EVENTS = 50
MAX_AGE_MS = 24 * 60 * 60 * 1000

HexId = Annotated[str, Meta(pattern="^[0-9a-f]{32}$")]
Text = Annotated[str, Meta(max_length=300)]
Url = Annotated[str, Meta(max_length=2048)]
Scalar = Annotated[str, Meta(max_length=300)] | float | bool | None


class BeaconElement(msgspec.Struct, forbid_unknown_fields=True, omit_defaults=True):
    """What was acted on. Of a form: `id`, `name`, `action`, and its fields' names, never their values.

    Of a click: `what`, the element's `text`, where it leads `to`, which asked-for selectors it `fits`. Of
    an element that appeared: the `selector` and `text` that were looked for. Of a frame's message: its
    `origin`, the types of its `keys`, and the `values` of those few that tell messages apart.
    """

    id: Annotated[str, Meta(max_length=200)] = ""
    name: Annotated[str, Meta(max_length=200)] = ""
    action: Text = ""
    fields: Annotated[list[Annotated[str, Meta(max_length=100)]], Meta(max_length=40)] = []
    what: Literal["", "outbound", "phone", "mail", "file", "link", "button"] = ""
    text: Annotated[str, Meta(max_length=200)] = ""
    to: Text = ""
    fits: Annotated[list[Annotated[str, Meta(max_length=200)]], Meta(max_length=40)] = []
    selector: Annotated[str, Meta(max_length=200)] = ""
    origin: Text = ""
    keys: Annotated[
        dict[Annotated[str, Meta(max_length=200)], Annotated[str, Meta(max_length=20)]], Meta(max_length=40)
    ] = {}
    values: Annotated[
        dict[Annotated[str, Meta(max_length=200)], Annotated[str, Meta(max_length=200)]], Meta(max_length=40)
    ] = {}


class BeaconEvent(msgspec.Struct, forbid_unknown_fields=True):
    """One event as the tag states it. `age` is milliseconds since it happened.

    A "note" says something about the page's set-up and is nothing that the visitor did. `reached` is
    how many seconds a "stay" has lasted, or how many percent a "scroll" has come to.
    """

    id: HexId
    kind: Kind
    age: Annotated[int, Meta(ge=0)]
    # The page's address, or the place that it has among the request's `urls`.
    url: Url = ""
    page: Annotated[int, Meta(ge=0, lt=MAX_EVENTS)] | None = None
    title: Text = ""
    referrer: Url = ""
    name: Annotated[str, Meta(max_length=64)] = ""
    properties: Annotated[dict[Annotated[str, Meta(max_length=60)], Scalar], Meta(max_length=20)] = {}
    # Split tests this page took part in: test key to variant letter.
    variants: Annotated[
        dict[Annotated[str, Meta(max_length=16)], Annotated[str, Meta(max_length=1)]], Meta(max_length=20)
    ] = {}
    # The tag was found twice on this page.
    twice: bool = False
    # A split test whose variant led the visitor back to its control.
    back: Annotated[str, Meta(max_length=16)] = ""
    # The visitor takes back the consent that they had given.
    refused: bool = False
    # Split tests that this page could not show as meant: test key to why, and the place of the selector it concerns.
    hindered: Annotated[
        dict[
            Annotated[str, Meta(max_length=16)],
            tuple[Literal["missing", "overwritten", "late"], Annotated[int, Meta(ge=0, lt=1000)]],
        ],
        Meta(max_length=20),
    ] = {}
    element: BeaconElement | None = None
    # Who the page says it is: hashes by kind (core/trust/identities.py), and their proof (core/trust/proof.py).
    person: dict[Literal["email", "id", "proof"], Annotated[str, Meta(pattern="^[0-9a-f]{64}$")]] = {}
    reached: Annotated[int, Meta(ge=0, le=100_000)] = 0
    # Of the server's own making (bridges.py): the address says where the visit came from, as a view's does.
    campaign: bool = False
    # Of the server's own making: a sale whose report is signed.
    proven: bool = False


SERVERS_OWN = frozenset({"step", "sale", "outcome"})


class Beacon(msgspec.Struct, forbid_unknown_fields=True):
    """One request of the tag: events of one visitor, oldest first.

    `visitor` is empty where the site stores no id; the collector then tells visitors apart for a day.
    `own` marks a browser of the site's own people, `rehearsal` the rehearsal that is under way in it.
    """

    visitor: Annotated[str, Meta(pattern="^([0-9a-f]{32})?$")]
    device: Literal["desktop", "phone", "tablet"]
    events: Annotated[list[BeaconEvent], Meta(min_length=1, max_length=MAX_EVENTS)]
    # Addresses that the events' `page` counts through, so that each is sent once.
    urls: Annotated[list[Url], Meta(max_length=MAX_EVENTS)] = []
    # Events that the tag has dropped because they were too large to be sent at all.
    dropped: Annotated[int, Meta(ge=0, le=100_000)] = 0
    # Width and height of the window in CSS pixels.
    viewport: Annotated[list[Annotated[int, Meta(ge=0, le=100_000)]], Meta(max_length=2)] = []
    own: bool = False
    rehearsal: Annotated[str, Meta(pattern="^([0-9a-z]{8,32})?$")] = ""


class Envelope(msgspec.Struct, array_like=True):
    """An accepted request as it waits in the inbox. `received_ms` is the server's clock, epoch.

    `visitor`, where given, takes the place of the beacon's; `own`: it came from one of the site's own networks;
    `network`: which network it came from, as a keyed hash (gate.py).
    """

    site_id: int
    received_ms: int
    user_agent: str
    body: bytes
    visitor: str = ""
    own: bool = False
    network: str = ""


class Refused(Exception):
    """A request that is not accepted: `reason` is a short fixed word, `detail` says what to do."""

    def __init__(
        self, status: int, reason: str, title: str, detail: str, site_id: int | None = None, host: str = ""
    ) -> None:
        super().__init__(title)
        # The page's host, where that is why.
        self.host = host
        self.status, self.reason, self.title, self.detail, self.site_id = (
            status,
            reason,
            title,
            detail,
            site_id,
        )

    def problem(self) -> bytes:
        """The answer's body (RFC 9457)."""
        return msgspec.json.encode(
            {
                "type": "about:blank",
                "title": self.title,
                "status": self.status,
                "detail": self.detail,
                "reason": self.reason,
            }
        )


_beacons = msgspec.json.Decoder(Beacon)


def _read(body: bytes) -> Beacon:
    """The beacon in `body`, each event with its address; raises msgspec's errors."""
    beacon = _beacons.decode(body)
    for place, event in enumerate(beacon.events):
        if event.page is not None:
            if event.url or event.page >= len(beacon.urls):
                raise msgspec.ValidationError(f"$.events[{place}].page: no such address among the urls")
            event.url = beacon.urls[event.page]
    return beacon


_envelopes = msgspec.msgpack.Decoder(list[Envelope])
_encoder = msgspec.msgpack.Encoder()


def check(body: bytes, site: TagSite) -> Beacon:
    """The beacon in `body`, or Refused with the reason.

    Wrong types, texts too long, ages outside 0 to 24 h and addresses that are not the site's are
    refused as a whole: a beacon comes from one tag, and half of a broken one is not to be trusted.
    """
    if len(body) > MAX_BODY:
        raise Refused(
            413, "too_large", "The request is too large", f"Send at most {MAX_BODY // 1024} KB.", site.id
        )
    try:
        beacon = _read(body)
    except msgspec.ValidationError as error:
        raise Refused(
            422, "wrong_type", "A field is not as it should be", str(error)[:250], site.id
        ) from None
    except (msgspec.DecodeError, UnicodeDecodeError) as error:
        raise Refused(400, "not_json", "The request is not JSON", str(error)[:250], site.id) from None
    if not beacon.visitor and not site.nameless:
        raise Refused(
            422, "wrong_type", "A field is not as it should be", "$.visitor: 32 digits are needed.", site.id
        )
    for place, event in enumerate(beacon.events):
        if event.kind in SERVERS_OWN or event.campaign or event.proven:
            raise Refused(
                422,
                "wrong_type",
                "A field is not as it should be",
                f"$.events[{place}].kind: “{event.kind}” is not the tag's to say.",
                site.id,
            )
        if event.age > MAX_AGE_MS:
            raise Refused(
                422, "too_old", "An event is too old", f"$.events[{place}].age is over 24 hours.", site.id
            )
        try:
            host = host_of(event.url)
        except AddressError as error:
            raise Refused(
                422,
                "bad_address",
                "An address cannot be read",
                f"$.events[{place}].url: {say(error.told)}.",
                site.id,
            ) from None
        if host not in site.hosts:
            raise Refused(
                403,
                "foreign_host",
                "The page is not on one of this site's hosts",
                f"{host[:80]} is not among them. Add it under Pixel if it should be.",
                site.id,
                host,
            )
    return beacon


def admit(body: bytes) -> bytes:
    """The one gate for what enters by any way: `body` as `cleaned`, every text within its bounds.

    Raises Refused where it is no beacon.
    """
    body = cleaned(body)
    try:
        _read(body)
    except (msgspec.DecodeError, UnicodeDecodeError) as error:
        raise Refused(422, "wrong_type", "A field is not as it should be", str(error)[:250]) from None
    return body


# An escaped half of a surrogate pair without the other: a text that was cut in the middle of a sign.
_HALF = re.compile(
    rb"\\u[dD][89abAB][0-9a-fA-F]{2}(?!\\u[dD][c-fC-F])|(?<!\\u[dD][89abAB][0-9a-fA-F]{2})\\u[dD][c-fC-F][0-9a-fA-F]{2}"
)


def cleaned(body: bytes) -> bytes:
    """`body` without NUL and lone surrogates in its texts, neither of which the database takes; else the same."""
    if b"\\" not in body and b"\x00" not in body:
        return body
    if b"\\ud" in body or b"\\uD" in body:
        body = _HALF.sub(rb"\\ufffd", body)
    if b"\\u0000" not in body and b"\x00" not in body:
        return body

    def without(value: object) -> object:
        if isinstance(value, str):
            return value.replace("\x00", "")
        if isinstance(value, list):
            return [without(v) for v in value]
        if isinstance(value, dict):
            return {without(k): without(v) for k, v in value.items()}
        return value

    try:
        return msgspec.json.encode(without(msgspec.json.decode(body)))
    except (msgspec.DecodeError, UnicodeDecodeError):
        return body  # which nothing accepts


def decode_accepted(body: bytes) -> Beacon:
    """The beacon in a body that was accepted before; raises msgspec.DecodeError where it is damaged."""
    return _read(cleaned(body))


def pack(envelopes: list[Envelope]) -> bytes:
    """An inbox row's payload."""
    return _encoder.encode(envelopes)


def unpack(payload: bytes) -> list[Envelope]:
    """The envelopes of an inbox row's payload; raises msgspec.DecodeError where it is damaged."""
    return _envelopes.decode(payload)
