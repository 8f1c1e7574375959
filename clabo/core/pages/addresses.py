"""Page addresses and campaign parameters (definitions: "Pages", "Time and people")."""

from __future__ import annotations

import re
from collections.abc import Collection, Mapping
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Any
from urllib.parse import SplitResult, parse_qsl, quote, unquote_to_bytes, urlencode, urlsplit

from clabo.core.message import Message, message

_DEFAULT_PORT = {"http": 80, "https": 443}
_UNRESERVED = frozenset(b"ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789-._~")
_ESCAPE = re.compile(r"%([0-9A-Fa-f]{2})")
# RFC 3986 §3.3: what may stand in a path unescaped, besides the unreserved characters.
_PATH_SAFE = "!$&'()*+,;=:@/%"
MAX_LENGTH = 2048


class AddressError(ValueError):
    """The text is not a web address; `told` says what is wrong with it."""

    def __init__(self, code: str, /, **params: Any) -> None:
        super().__init__(code)
        self.told: Message = message(code, **params)


@dataclass(frozen=True, slots=True)
class Address:
    """A page: normalised host (with a non-default port) and path (with meaningful query, fragment)."""

    host: str
    path: str

    def __str__(self) -> str:
        return self.host + self.path


@dataclass(frozen=True, slots=True)
class Campaign:
    """What an ad's link says about itself. Empty strings where it says nothing."""

    source: str = ""
    medium: str = ""
    name: str = ""
    ad_group: str = ""
    ad: str = ""
    click_kind: str = ""
    click_id: str = ""
    sub_ids: Mapping[str, str] = field(default_factory=dict)

    def __bool__(self) -> bool:
        return bool(self.source or self.medium or self.name or self.ad_group or self.ad or self.click_id)

    @property
    def identity(self) -> tuple[str, ...]:
        """Two hits with different non-empty identities belong to different visits. Names are alike in any case."""
        names = (self.source, self.medium, self.name, self.ad_group, self.ad)
        return (*(name.lower() for name in names), self.click_kind, self.click_id)


NO_CAMPAIGN = Campaign()


def _normal_escapes(text: str) -> str:
    def one(match: re.Match[str]) -> str:
        byte = int(match[1], 16)
        return chr(byte) if byte in _UNRESERVED else f"%{match[1].upper()}"

    return _ESCAPE.sub(one, quote(text, safe=_PATH_SAFE))


def _without_dot_segments(path: str) -> str:
    """RFC 3986 §5.2.4, for an absolute path."""
    if "/." not in path:
        return path
    kept: list[str] = []
    segments = path.split("/")[1:]
    for segment in segments:
        if segment == "..":
            if kept:
                kept.pop()
        elif segment != ".":
            kept.append(segment)
    if segments[-1] in (".", ".."):
        kept.append("")
    return "/" + "/".join(kept)


def _split(url: str) -> tuple[SplitResult, str]:
    if len(url) > MAX_LENGTH:
        raise AddressError("address_too_long", most=MAX_LENGTH)
    try:
        parts = urlsplit(url.strip())
        port = parts.port
    except ValueError as error:
        raise AddressError("address_unreadable", reason=str(error)) from None
    if parts.scheme not in _DEFAULT_PORT:
        raise AddressError("address_scheme")
    host = (parts.hostname or "").rstrip(".")
    if not host.isascii():
        try:
            host = host.encode("idna").decode().lower()
        except UnicodeError:
            raise AddressError("address_host") from None
    # After IDNA, whose compatibility mapping can bring in spaces.
    if not host or len(host) > 253 or any(c.isspace() or c in "<>\"'`\\" for c in host):
        raise AddressError("address_host")
    if port is not None and port != _DEFAULT_PORT[parts.scheme]:
        host = f"{host}:{port}"
    return parts, host


_ORIGIN = re.compile(r"\s*https?://[^/?#]+(?=[/?#]|$)", re.IGNORECASE)


def host_of(url: str) -> str:
    """The lower-cased host of `url`, with a non-default port; raises AddressError."""
    if len(url) > MAX_LENGTH:
        raise AddressError("address_too_long", most=MAX_LENGTH)
    # Few origins come again and again: only what follows them differs.
    origin = _ORIGIN.match(url)
    return _host_of_origin(origin[0]) if origin else _split(url)[1]


@lru_cache(maxsize=4096)
def _host_of_origin(origin: str) -> str:
    return _split(origin)[1]


@lru_cache(maxsize=65_536)
def normalise(
    url: str, meaningful: frozenset[str] | None = frozenset(), keep_fragment: bool = False
) -> Address:
    """The page that `url` shows (definitions: "Page"; RFC 3986 §6.2.2).

    `meaningful` names the query parameters that tell pages apart on this site, None stands for all; `keep_fragment`
    is for sites that route by it. Raises AddressError where `url` is not an http(s) address.

    >>> str(normalise("HTTPS://Brackenhive.Example:443/a%7eb/?utm_source=x#top"))
    'brackenhive.example/a~b'
    """
    parts, host = _split(url)
    path = _without_dot_segments(_normal_escapes(parts.path or "/"))
    if len(path) > 1:
        path = path.rstrip("/") or "/"
    if meaningful != frozenset() and parts.query:
        pairs = parse_qsl(parts.query, keep_blank_values=True)
        kept = sorted(p for p in pairs if meaningful is None or p[0] in meaningful)
        if kept:
            path += "?" + "&".join(f"{quote(k, safe='')}={quote(v, safe='')}" for k, v in kept)
    if keep_fragment and parts.fragment:
        path += "#" + quote(parts.fragment, safe=_PATH_SAFE + "?")
    if len(path) > MAX_LENGTH:
        raise AddressError("address_too_long_escaped", most=MAX_LENGTH)
    return Address(host, path)


@lru_cache(maxsize=65_536)
def _parameters(url: str) -> tuple[tuple[str, str, str], ...]:
    """Name, value and canonical spelling of the query's parameters, as far as they are kept.

    Up to the one that would make the query longer than MAX_LENGTH, and up to the hundredth. What is read of an address
    when it comes in and what is read later out of what was kept must be the same.
    """
    query = url.partition("#")[0].partition("?")[2]
    kept: list[tuple[str, str, str]] = []
    length = 0
    for raw_name, raw_value in parse_qsl(query, keep_blank_values=True)[:100] if query else ():
        name, value = raw_name.replace("\x00", ""), raw_value.replace("\x00", "")
        part = urlencode([(name, value)])
        length += len(part) + 1
        if length > MAX_LENGTH:
            break
        kept.append((name, value, part))
    return tuple(kept)


def canonical_query(url: str) -> str:
    """The query of `url` with one spelling for each parameter, in its order: "a=1&b=%26".

    Cut at the parameter that would make it longer than MAX_LENGTH, and after the hundredth.
    """
    return "&".join(part for _, _, part in _parameters(url))


@dataclass(frozen=True, slots=True)
class PageReading:
    """How the addresses of one site become pages (definitions: "Page"): its settings, for whatever holds an address.

    `meaningful` are the query parameters that tell pages apart (None: all), `stands_for` the host that another's pages
    are reported under.
    """

    meaningful: frozenset[str] | None = frozenset()
    keep_fragment: bool = False
    stands_for: Mapping[str, str] = field(default_factory=dict)

    def page(self, url: str) -> Address:
        """The page that `url` is reported under; raises AddressError."""
        address = normalise(url, self.meaningful, self.keep_fragment)
        other = self.stands_for.get(address.host)
        return Address(other, address.path) if other else address

    def again(self, page: Address, query: str) -> Address:
        """The page that an address was of which this was kept: the page as it was read then, and its canonical query.

        A fragment that was not kept then cannot come back; raises AddressError where the page was none.

        >>> PageReading(frozenset({"step"})).again(Address("a.example", "/shop"), "step=2&x=1")
        Address(host='a.example', path='/shop?step=2')
        """
        rest, mark, fragment = page.path.partition("#")
        path, _, further = rest.partition("?")
        # What told pages apart is whole in the path; the query may have been cut.
        names = {name for name, _ in parse_qsl(further, keep_blank_values=True)}
        others = [p for p in parse_qsl(query, keep_blank_values=True) if p[0] not in names]
        pairs = [*parse_qsl(further, keep_blank_values=True), *others]
        asked = f"?{urlencode(pairs)}" if pairs else ""
        return self.page(f"https://{page.host}{path}{asked}{mark}{fragment}")


# What somebody wrote, in one spelling and with all that it says: how addresses are stored that settings are put to later.
AS_WRITTEN = PageReading(None, True)
# Of a site that has set nothing.
PLAIN = PageReading()


_CAMPAIGN_PARAMETERS = {
    "utm_source": "source",
    "utm_medium": "medium",
    "utm_campaign": "name",
    "utm_term": "ad_group",
    "utm_content": "ad",
}
_SUB_ID = re.compile(r"sub[1-5]")


@lru_cache(maxsize=65_536)
def campaign_of(url: str, sub_names: frozenset[str] = frozenset()) -> Campaign:
    """Campaign parameters and click id in the query of `url`.

    Any parameter whose name ends in `clid` is a click id; `sub1` to `sub5` and `sub_names` are
    sub-IDs. Values are cut at 200 characters.
    """
    found: dict[str, str] = {}
    subs: dict[str, str] = {}
    for raw_name, raw_value, _ in _parameters(url):
        name, value = raw_name.lower(), raw_value.strip()[:200]
        if not value:
            continue
        if name in _CAMPAIGN_PARAMETERS:
            found.setdefault(_CAMPAIGN_PARAMETERS[name], value)
        elif name.endswith("clid") and name.isascii() and len(name) <= 40:
            if "click_id" not in found:
                found["click_kind"], found["click_id"] = name, value
        elif _SUB_ID.fullmatch(name) or name in sub_names:
            subs.setdefault(name, value)
    if not found and not subs:
        return NO_CAMPAIGN
    return Campaign(**found, sub_ids=subs)


def readable(path: str) -> str:
    """The path as a person would write it, escapes decoded where they are valid UTF-8."""
    try:
        return unquote_to_bytes(path).decode()
    except UnicodeDecodeError:
        return path


def only_known_hosts(hosts: Collection[str], url: str) -> bool:
    """Whether `url` lies on one of `hosts` (compared as normalised)."""
    try:
        return host_of(url) in hosts
    except AddressError:
        return False
