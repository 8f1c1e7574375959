"""Views that go out by mail: each Monday, or on the first of a month."""

from __future__ import annotations

from base64 import b64encode
from datetime import UTC, date, datetime
from typing import Any

from django.conf import settings
from django.core import signing
from django.core.exceptions import ValidationError
from django.core.validators import validate_email
from django.db.models import QuerySet

from clabo.core.evidence import Counts, RateComparison, compare_rates, holm
from clabo.judge.reports.schemas import MeasuredOut, PagesOut
from clabo.judge.saved.models import Mailing, SavedView
from clabo.judge.saved.running import answer_of, table_in
from clabo.judge.sources.schemas import SourcesOut
from clabo.platform.accounts.models import User
from clabo.platform.jobs.tasks import mail
from clabo.platform.outputs.writing import MEDIA, write
from clabo.platform.problems import Problem, missing

MOST_MAILINGS = 20
SHOWN = 12
# In the site's morning.
FROM_HOUR = 6
_SALT = "clabo.judge.saved.mailing"
Answer = PagesOut | SourcesOut


def add(view: SavedView, to: str, rhythm: str, by: User | None) -> Mailing:
    """Have a view mailed; raises Problem."""
    to = to.strip().lower()
    try:
        validate_email(to)
    except ValidationError:
        raise Problem("This is not an e-mail address. It looks like name@host.example.", "to") from None
    if view.place == SavedView.Place.PATHS:
        raise Problem("Only views of pages and sources go out by mail.", status=409)
    if live(view).filter(to=to, rhythm=rhythm).exists():
        raise Problem("This address gets it already.", "to", 409)
    if live(view).count() >= MOST_MAILINGS:
        raise Problem(f"It goes to {MOST_MAILINGS} addresses. End one first.", "to", 409)
    return Mailing.objects.create(view=view, to=to, rhythm=rhythm, made_by=by)


def live(view: SavedView) -> QuerySet[Mailing]:
    """To whom it goes."""
    return view.mailings.filter(ended_at=None).select_related("made_by").order_by("to")


def end(view: SavedView, mailing_id: int) -> None:
    """Stop one; raises Problem where there is none."""
    if not live(view).filter(pk=mailing_id).update(ended_at=datetime.now(UTC)):
        raise missing("mailing")


def token_of(mailing: Mailing) -> str:
    """What the link to unsubscribe carries."""
    return signing.dumps(mailing.pk, salt=_SALT)


def unsubscribe(token: str) -> Mailing:
    """Whoever got the mail wants no more of it; raises Problem for no token of ours."""
    try:
        mailing = Mailing.objects.select_related("view__site").get(pk=signing.loads(token, salt=_SALT))
    except (signing.BadSignature, Mailing.DoesNotExist):
        raise Problem("This link is not good. Use the one at the end of the mail.", status=404) from None
    Mailing.objects.filter(pk=mailing.pk, ended_at=None).update(ended_at=datetime.now(UTC))
    return mailing


def due(now: datetime) -> list[tuple[Mailing, date]]:
    """What is to go out, and the day of its site on which."""
    found = []
    mailings = Mailing.objects.filter(ended_at=None, view__deleted_at=None).select_related("view__site")
    for mailing in mailings:
        here = now.astimezone(mailing.view.site.zone)
        today = here.date()
        its_day = today.isoweekday() == 1 if mailing.rhythm == Mailing.Rhythm.WEEKLY else today.day == 1
        if (
            its_day
            and here.hour >= FROM_HOUR
            and mailing.sent_on != today
            and mailing.made_at.date() <= today
        ):
            found.append((mailing, today))
    return found


def send(mailing: Mailing, today: date) -> bool:
    """Put one mail on its way; False where another has done it, or the view can no longer be read."""
    # Whoever sets the day first sends it.
    mine = Mailing.objects.filter(pk=mailing.pk, ended_at=None).exclude(sent_on=today)
    if not mine.update(sent_on=today):
        return False
    view = mailing.view
    subject, body, attached = composed(view)
    link = f"{settings.PUBLIC_URL}/unsubscribe/{token_of(mailing)}"
    mail.later(
        workspace_id=view.site.workspace_id,
        subject=subject,
        body=f"{body}\nThis goes to {mailing.to} because {mailing.made_by or 'a member'} asked for it. "
        f"No more of it: {link}\n",
        to=mailing.to,
        headers={"List-Unsubscribe": f"<{link}>"},
        attached=attached,
    )
    return True


def composed(view: SavedView) -> tuple[str, str, list[tuple[str, str, str]]]:
    """Subject, text and file of a view as it is now."""
    subject = " ".join(f"{view.name}: {view.site.name}".split())
    view.words = {**view.words, "compare": "before"}
    try:
        answer = answer_of(view)
    except Problem as problem:
        return subject, f"This view cannot be read any more. {problem.detail}\n", []
    if answer is None:
        return subject, "This view has no table.\n", []
    table = table_in(view, answer)
    content = b"".join(write(table, "xlsx"))
    name = "".join(c if c.isalnum() else "-" for c in view.name.lower()).strip("-")[:40] or "view"
    attached = [(f"{name}.xlsx", b64encode(content).decode(), MEDIA["xlsx"])]
    lines = [answer.lens.says, "", *_changes(answer), "", *_rows(answer), ""]
    lines.append(f"Open it: {settings.PUBLIC_URL}/s/{view.site_id}/views?open={view.pk}")
    return subject, "\n".join(lines) + "\n", attached


def _named(answer: Answer) -> list[tuple[str, MeasuredOut, MeasuredOut | None]]:
    """Each row with its name and what it was in the period before."""
    if isinstance(answer, PagesOut):
        return [(r.path, r, answer.before.get(r.page_id or 0)) for r in answer.rows if r.kind == "page"]
    return [(r.name or "not said", r, answer.before.get(r.value)) for r in answer.rows if r.kind == "value"]


def beyond_chance(answer: Answer, level: float = 0.05) -> list[tuple[str, RateComparison]]:
    """Rows whose conversion rate differs from the period before, Holm's method over all that can be compared."""
    compared = [
        (
            name,
            compare_rates(
                Counts(min(was.converted, was.entries), was.entries),
                Counts(min(now.converted, now.entries), now.entries),
            ),
        )
        for name, now, was in _named(answer)
        if was is not None and was.entries and now.entries
    ]
    p_values = holm([c.p_value for _, c in compared])
    return [one for one, p in zip(compared, p_values, strict=True) if p < level]


def _changes(answer: Answer) -> list[str]:
    found = beyond_chance(answer)
    if not found:
        return ["No conversion rate differs from the period before by more than chance explains."]
    return [
        "Beyond chance against the period before:",
        *(
            f"  {_plain(name)}: {c.difference.low * 100:+.2f} to {c.difference.high * 100:+.2f} per 100 visits"
            for name, c in found
        ),
    ]


def _rows(answer: Answer) -> list[str]:
    lines = [f"{'':42} {'entries':>9} {'converted':>10} {'rate, 95 %':>18} {'spend':>11} {'ROAS':>6}"]
    for name, r, _ in _named(answer)[:SHOWN]:
        rate: Any = r.conversion_rate
        span = f"{rate.low * 100:.2f} - {rate.high * 100:.2f} %" if rate and rate.low is not None else "-"
        roas = f"{r.roas:.2f}" if r.roas is not None else "-"
        spend = f"{r.spend:,.2f}" if r.spend else "-"
        lines.append(
            f"{_plain(name)[:42]:42} {r.entries:>9,} {r.converted:>10,} {span:>18} {spend:>11} {roas:>6}"
        )
    more = len(_named(answer)) - SHOWN
    return [*lines, f"and {more} more in the file"] if more > 0 else lines


def _plain(text: str) -> str:
    """On one line: what comes from a site's pages must not look like a line of the mail."""
    return " ".join(text.split())
