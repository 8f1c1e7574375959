"""What a fetched page says about the tag on it: read from its HTML and headers alone."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from html.parser import HTMLParser
from typing import Literal
from urllib.parse import urljoin, urlsplit

Verdict = Literal["found", "missing", "twice", "old_key", "in_body", "blocked", "gated", "not_async"]
_TAG = re.compile(r"/tag/([0-9a-z]{8,64})\.js$")
_SCRIPT_TYPES = frozenset({"", "text/javascript", "application/javascript", "module"})
MOST_LINKS = 500


@dataclass(frozen=True, slots=True)
class TagFinding:
    """One thing to know; `good` things need no action. `more` is a detail in words, or empty."""

    verdict: Verdict
    good: bool
    more: str = ""


@dataclass(frozen=True, slots=True)
class PageReport:
    """What was found, and the addresses that the page links to (absolute, without fragment)."""

    findings: list[TagFinding]
    title: str
    links: list[str]
    frames: list[str]


@dataclass(slots=True)
class _Script:
    key: str
    in_head: bool
    kind: str
    asynchronous: bool
    nonce: str


@dataclass
class _Reader(HTMLParser):
    base: str
    origin: str
    scripts: list[_Script] = field(default_factory=list)
    links: list[str] = field(default_factory=list)
    frames: list[str] = field(default_factory=list)
    policies: list[str] = field(default_factory=list)
    title: str = ""
    _in_head: bool = True
    _in_title: bool = False

    def __post_init__(self) -> None:
        super().__init__(convert_charrefs=True)

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        have = {name: value or "" for name, value in attrs}
        if tag == "body":
            self._in_head = False
        elif tag == "title":
            self._in_title = not self.title
        elif tag == "meta" and have.get("http-equiv", "").lower() == "content-security-policy":
            self.policies.append(have.get("content", ""))
        elif tag == "a" and have.get("href") and len(self.links) < MOST_LINKS:
            self._link(have["href"], self.links)
        elif tag == "iframe" and have.get("src") and len(self.frames) < MOST_LINKS:
            self._link(have["src"], self.frames)
        elif tag == "script":
            # Tools that wait for consent put the address elsewhere, or the type to something no browser runs.
            source = have.get("src") or next(
                (v for k, v in have.items() if k.startswith("data-") and _TAG.search(v)), ""
            )
            self._script(source, have)

    def handle_endtag(self, tag: str) -> None:
        if tag == "head":
            self._in_head = False
        elif tag == "title":
            self._in_title = False

    def handle_data(self, data: str) -> None:
        if self._in_title and len(self.title) < 300:
            self.title += data

    def _link(self, href: str, into: list[str]) -> None:
        try:
            url = urljoin(self.base, href.strip()).partition("#")[0]
        except ValueError:
            return
        if url.startswith(("http://", "https://")) and url not in into:
            into.append(url)

    def _script(self, source: str, have: Mapping[str, str]) -> None:
        try:
            url = urljoin(self.base, source.strip())
            parts = urlsplit(url)
        except ValueError:
            return
        found = _TAG.search(parts.path)
        if found and f"{parts.scheme}://{parts.netloc}" == self.origin:
            gated = not have.get("src") or have.get("type", "").lower() not in _SCRIPT_TYPES
            self.scripts.append(
                _Script(
                    found[1],
                    self._in_head,
                    "gated" if gated else "plain",
                    "async" in have or "defer" in have or "blocking" in have,
                    have.get("nonce", ""),
                )
            )


def read_page(
    html: str, url: str, key: str, tag_origin: str, policies: Sequence[str] = (), in_frame: bool = False
) -> PageReport:
    """What the page at `url` says: is the tag of site `key`, served from `tag_origin`, there and allowed?

    `policies` are the Content-Security-Policy headers it came with (W3C CSP Level 3). Nothing of the page
    is run: a tag that another script puts in is not seen here, and shows by its hits.
    """
    reader = _Reader(url, tag_origin)
    reader.feed(html)
    reader.close()
    own = [s for s in reader.scripts if s.key == key]
    found: list[TagFinding] = []
    if own:
        found.append(TagFinding("found", True))
    else:
        found.append(TagFinding("missing", False))
    old = {s.key for s in reader.scripts} - {key}
    if old:
        found.append(TagFinding("old_key", False, ", ".join(sorted(old))))
    if len(own) > 1:
        found.append(TagFinding("twice", False, f"{len(own)} times"))
    if own and not own[0].in_head:
        found.append(TagFinding("in_body", False))
    if any(s.kind == "gated" for s in own):
        found.append(TagFinding("gated", False))
    if own and not any(s.asynchronous for s in own):
        found.append(TagFinding("not_async", False))
    # Policies add up: each must allow it.
    refused = [
        directive
        for policy in [*policies, *reader.policies]
        for directive in blocked_by(policy, tag_origin, url, own[0].nonce if own else "")
    ]
    if refused:
        found.append(TagFinding("blocked", False, ", ".join(sorted(set(refused)))))
    return PageReport(found, " ".join(reader.title.split())[:300], reader.links, reader.frames)


def blocked_by(policy: str, origin: str, page: str, nonce: str = "") -> list[str]:
    """The directives of a Content-Security-Policy that keep the tag from loading or from sending hits."""
    directives: dict[str, list[str]] = {}
    for part in policy.split(";"):
        words = part.split()
        if words:
            directives.setdefault(words[0].lower(), words[1:])
    refused = []
    for directive, fallbacks in (("script-src", ["script-src-elem"]), ("connect-src", [])):
        sources: Iterable[str] | None = None
        for name in [*fallbacks, directive, "default-src"]:
            if name in directives:
                sources = directives[name]
                break
        if sources is not None and not _allows(
            list(sources), origin, page, nonce if directive == "script-src" else ""
        ):
            refused.append(directive)
    return refused


def _allows(sources: list[str], origin: str, page: str, nonce: str) -> bool:
    wanted = urlsplit(origin)
    if nonce and f"'nonce-{nonce}'" in sources:
        return True
    if "'strict-dynamic'" in sources:
        # Host names no longer count then.
        return False
    for source in sources:
        if source == "*" and wanted.scheme in ("http", "https"):
            return True
        if source == "'self'":
            if urlsplit(page)[:2] == wanted[:2]:
                return True
        elif re.fullmatch(r"[a-z][a-z0-9+.-]*:", source, re.IGNORECASE):
            if source[:-1].lower() == wanted.scheme or (
                source.lower() == "http:" and wanted.scheme == "https"
            ):
                return True
        elif not source.startswith("'") and _host_fits(source, origin, page):
            return True
    return False


def _host_fits(source: str, origin: str, page: str) -> bool:
    try:
        wanted = urlsplit(origin)
        asked = urlsplit(source if "://" in source else f"{urlsplit(page).scheme}://{source}")
        port = asked.port if ":*" not in asked.netloc else None
    except ValueError:
        return False
    host, mine = (asked.hostname or "").lower(), (wanted.hostname or "").lower()
    if host.startswith("*."):
        if not mine.endswith(host[1:]):
            return False
    elif host != mine:
        return False
    if asked.scheme != wanted.scheme and (asked.scheme, wanted.scheme) != ("http", "https"):
        return False
    standard = {"http": 80, "https": 443}
    if asked.netloc.endswith(":*"):
        return True
    return (port or standard.get(asked.scheme)) == (wanted.port or standard.get(wanted.scheme)) or (
        port is None and wanted.port is None
    )
