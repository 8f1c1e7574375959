"""The install kit: the exact text to paste, for each way a page can be built."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Literal

from django.conf import settings
from django.core.exceptions import ValidationError
from django.core.validators import validate_email

from clabo.collect.install.models import KitLink
from clabo.platform.accounts.models import User
from clabo.platform.jobs.tasks import mail
from clabo.platform.problems import Problem, missing
from clabo.setup.sites.models import Site
from clabo.setup.sites.reach import tag_origin

Where = Literal["head", "body", "frame", "header", "mail"]
KIT_DAYS = 14
MOST_OPEN_KITS = 50
# How long the holding line keeps a control page from being seen, at most.
HOLD_MS = 800


@dataclass(frozen=True, slots=True)
class TagLines:
    """What to paste: into every head; with what lets a page call before the tag is there; into a split test's control
    page, where the browser may hold the page back and where the line does it; where no script can run.

    All are well-formed in XML too, and all but `early` and `hold` stand under a policy without inline code.
    """

    head: str
    early: str
    render: str
    hold: str
    pixel: str


def tag_lines(site: Site) -> TagLines:
    """The lines of this site's tag."""
    base = tag_origin()
    source = f"{base}/tag/{site.key}.js"
    # No sign that XML or HTML would read as markup.
    early = "<script>window.clabo=window.clabo||{q:[],mark(...a){this.q.push(a)},person(p){this.q.push([p])},consent(c){this.c=c}}</script>"
    line = f'<script async="async" src="{source}"></script>'
    gone = "var s=document.getElementById('clabo-hold');if(s)s.parentNode.removeChild(s)"
    return TagLines(
        head=line,
        early=early + line,
        render=f'<script async="async" blocking="render" src="{source}"></script>',
        hold=f'<style id="clabo-hold">html{{visibility:hidden}}</style>'
        f"<script>setTimeout(function(){{{gone}}},{HOLD_MS})</script>"
        f'<script async="async" src="{source}" onerror="{gone}"></script>',
        pixel=f'<noscript><img src="{base}/pixel/{site.key}.gif" alt="" width="1" height="1" referrerpolicy="no-referrer-when-downgrade"/></noscript>',
    )


@dataclass(frozen=True, slots=True)
class Piece:
    """One way to put the tag in: what to paste, and into what. clabo/platform/wording/kit.py has the words."""

    id: str
    lines: list[str]
    place: Where


def kit(site: Site) -> list[Piece]:
    """Every way to put this site's tag in."""
    lines, base = tag_lines(site), tag_origin()
    frame = f'<script async="async" src="{base}/tag/{site.key}.js" data-clabo-frame="on"></script>'
    return [
        Piece("site", [lines.head], "head"),
        Piece("page", [lines.head], "head"),
        Piece("early", [lines.early], "head"),
        Piece(
            "data",
            [
                lines.head,
                '<script type="application/json" data-clabo-mark="order">{"value":59.9,"currency":"EUR","order":"A-1042"}</script>',
            ],
            "body",
        ),
        Piece(
            "person",
            [
                lines.head,
                '<script type="application/json" data-clabo-person="on">{"email":"ada@example.com","id":"K-1042"}</script>',
            ],
            "body",
        ),
        Piece("body", [lines.head], "body"),
        Piece("frame", [frame], "frame"),
        Piece("policy", [f"script-src {base}; connect-src {base}; img-src {base}"], "header"),
        Piece("pixel", [lines.pixel.removeprefix("<noscript>").removesuffix("</noscript>")], "mail"),
    ]


def share_kit(site: Site, by: User, email: str = "", note: str = "") -> KitLink:
    """A page with the kit for somebody without an account, and a mail that leads there if `email` is given."""
    email, note = email.strip(), note.strip()[:1000]
    if email:
        try:
            validate_email(email)
        except ValidationError:
            raise Problem(
                "This is no e-mail address. It looks like dev@brackenhive.example.", "email"
            ) from None
    now = datetime.now(UTC)
    if len(open_kits(site)) >= MOST_OPEN_KITS:
        raise Problem(
            f"There are {MOST_OPEN_KITS} open links already. End one, or wait until one ends by itself.",
            "email",
            409,
        )
    link = KitLink.objects.create(
        site=site, email=email, note=note, created_by=by, expires_at=now + timedelta(days=KIT_DAYS)
    )
    if email:
        mail.later(
            workspace_id=site.workspace_id,
            subject=f"Please put a line on {_one_line(site.name)}",
            body=f"Hello,\n\n{_one_line(by.name or by.email)} asks you to put a line of code on {_one_line(site.name)}.\n"
            f"{note + chr(10) if note else ''}\n"
            f"What to paste, where, and on which pages, stands here until {link.expires_at:%d %B %Y}:\n"
            f"{kit_address(link)}\n\nThe page says as soon as the first hit has come in.\n",
            to=email,
        )
    return link


def open_kits(site: Site) -> list[KitLink]:
    """The links that can be opened now, the newest first."""
    links = KitLink.objects.filter(site=site, expires_at__gt=datetime.now(UTC), revoked_at=None)
    return list(links.select_related("created_by").order_by("-id"))


def revoke_kit(site: Site, link_id: int) -> None:
    """End a link now; raises Problem where there is none."""
    changed = KitLink.objects.filter(site=site, pk=link_id, revoked_at=None)
    if not changed.update(revoked_at=datetime.now(UTC)):
        raise missing("link")


def _one_line(text: str) -> str:
    return " ".join(text.split())


def kit_address(link: KitLink) -> str:
    """The public page of a kit link."""
    return f"{settings.PUBLIC_URL}/kit/{link.token}"


def kit_behind(token: str) -> KitLink:
    """The link with that token, while it lasts; raises Problem."""
    link = KitLink.objects.select_related("site", "created_by").filter(token=token).first()
    if link is None or link.revoked_at or link.expires_at <= datetime.now(UTC):
        raise missing("page, or it has ended: ask for a new one. This page")
    return link
