"""Work for later: once, in the caller's transaction, tried again, and told."""

from __future__ import annotations

import asyncio
import time
from datetime import UTC, datetime, timedelta
from unittest.mock import patch

from django.db import DatabaseError, connection, transaction
from django.test import TestCase
from procrastinate.contrib.django.models import ProcrastinateJob
from procrastinate.exceptions import ConnectorException
from procrastinate.periodic import PeriodicDeferrer

from clabo.platform.accounts.models import Role
from clabo.platform.jobs import worker
from clabo.platform.jobs.job import JOBS, QUEUES
from clabo.platform.jobs.models import JobFailure
from clabo.platform.jobs.queries import last_deferral
from clabo.platform.jobs.tasks import mail
from clabo.platform.jobs.worker import JobWorker
from clabo.setup.conversions.models import ConversionRule
from clabo.setup.conversions.tasks import recount, recounts_left
from clabo.testing.asking import Member
from clabo.testing.clearing import ClearedCase
from clabo.testing.jobs import forget_jobs, run_jobs
from clabo.testing.traffic import make_rule, make_site, receive, walk


def waiting() -> list[str]:
    return list(ProcrastinateJob.objects.filter(status="todo").values_list("task_name", flat=True))


class Later(TestCase):
    def test_once_and_only_if_the_transaction_commits(self) -> None:
        for _ in range(3):
            recount.later(once="a", site_id=1, rule_id=1)
        self.assertEqual(waiting(), ["recount"])
        try:
            with transaction.atomic():
                recount.later(once="b", site_id=1, rule_id=2)
                raise ValueError
        except ValueError:
            pass
        self.assertEqual(waiting(), ["recount"])
        # What is said afterwards in the same transaction is not lost with it.
        mail.later(subject="s", body="b", to="a@shop.example")
        self.assertEqual(waiting(), ["recount", "mail"])

    def test_a_conversion_whose_job_was_lost_is_found_again(self) -> None:
        site = make_site()
        rule = make_rule(site, "/thank-you")
        ConversionRule.objects.update(version=7)
        recounts_left.now()
        recounts_left.now()
        self.assertEqual(waiting(), ["recount"])
        run_jobs()
        rule.refresh_from_db()
        self.assertEqual((rule.counted_version, waiting()), (7, []))
        # Gone meanwhile: nothing to do, and no failure.
        recount.now(site_id=site.pk, rule_id=10**9)


class Working(ClearedCase):
    def setUp(self) -> None:
        forget_jobs()
        self.site = make_site()
        self.member = Member(self.site, Role.OWNER)
        self.address = f"/api/workspaces/{self.site.workspace_id}/jobs"
        self.worker = JobWorker()
        self.addCleanup(self.worker.stop)

    def told(self) -> list[dict[str, object]]:
        found: list[dict[str, object]] = self.member.read(self.member.client.get(self.address))
        return found

    def until(self, holds: object, what: str) -> None:
        end = time.monotonic() + 30
        while not holds():  # type: ignore[operator]
            self.assertLess(time.monotonic(), end, what)
            time.sleep(0.05)

    def test_a_worker_does_it_and_one_that_fails_is_tried_again_and_told(self) -> None:
        receive(walk(self.site, 1, datetime.now(UTC), "/a", "/thank-you"))
        rule = make_rule(self.site, "/thank-you")
        ConversionRule.objects.update(version=2)
        recounts_left.now()
        broken = JOBS["mail"]
        mail.later(workspace_id=self.site.workspace_id, subject="s", body="b", to="a@shop.example")
        with patch(
            "clabo.platform.jobs.tasks.EmailMessage.send", side_effect=OSError("the provider is away")
        ):
            self.worker.start()
            self.until(
                lambda: ConversionRule.objects.get(pk=rule.pk).counted_version == 2, "it is counted back"
            )
            self.until(JobFailure.objects.exists, "the failure is told")
        self.assertEqual(broken.name, "mail")

        # What is due by the clock may be among them for a moment.
        def mails() -> list[dict[str, object]]:
            return [j for j in self.told() if j["what"] == "mail"]

        self.until(lambda: [j["status"] for j in mails()] == ["again"], "it will be tried again")
        [told] = mails()
        self.assertEqual(
            (told["what"], told["attempts"], told["reason"]), ("mail", 1, "OSError: the provider is away")
        )
        self.member.client.post(f"{self.address}/{told['id']}/again")
        self.until(lambda: mails() == [], "the second try succeeds")
        self.assertFalse(JobFailure.objects.exists())

    def test_when_what_defers_by_the_clock_dies_all_is_begun_anew(self) -> None:
        deferring, begun = PeriodicDeferrer.worker, []

        async def dying(self: PeriodicDeferrer) -> None:
            begun.append(self)
            if len(begun) == 2:
                await asyncio.sleep(0.2)
                raise ConnectorException("the server closed the connection")
            await deferring(self)

        with (
            patch.object(PeriodicDeferrer, "worker", dying),
            patch.object(worker, "AWAY_SECONDS", 0.1),
            self.assertLogs("clabo.platform.jobs.worker", "WARNING"),
        ):
            self.worker.start()
            # One for each queue, and all of them once more.
            self.until(lambda: len(begun) >= 2 * len(QUEUES), "it defers by the clock again")
            recount.later(once="a", site_id=1, rule_id=10**9)
            self.until(lambda: "recount" not in waiting(), "and does what is asked for")

    def test_every_connection_is_cut_and_all_goes_on(self) -> None:
        with patch.object(worker, "AWAY_SECONDS", 0.1):
            self.worker.start()
            self.until(lambda: last_deferral() is not None, "it has begun")
            for turn in range(3):
                with connection.cursor() as cursor:
                    cursor.execute(
                        "SELECT pg_terminate_backend(pid) FROM pg_stat_activity "
                        "WHERE datname = current_database() AND pid <> pg_backend_pid()"
                    )
                forget_jobs()
                recount.later(once=f"a{turn}", site_id=1, rule_id=10**9)
                mail.later(subject="s", body="b", to="a@shop.example")
                self.until(lambda: not {"recount", "mail"} & set(waiting()), "jobs of every queue are done")
            # Begun anew, it defers what was due last; what dies at the next minute would be begun anew then.
            self.worker.stop()
            forget_jobs()
            after = JobWorker()
            self.addCleanup(after.stop)
            after.start()
            self.until(lambda: last_deferral() is not None, "work by the clock goes on")

    def test_one_that_defers_nothing_for_long_is_ended(self) -> None:
        now = datetime.now(UTC)
        with (
            patch.object(worker, "LOOK_SECONDS", 0.01),
            patch.object(worker, "SILENT_SECONDS", 0.1),
        ):
            with (
                patch.object(worker, "last_deferral", lambda: now - timedelta(hours=1)),
                self.assertRaisesRegex(worker.Stopped, "nothing was deferred by the clock"),
            ):
                asyncio.run(asyncio.wait_for(self.worker._watch(), 5))
            # Away, the database says nothing of it; and one that defers is left alone.
            for says in (DatabaseError(), lambda: datetime.now(UTC)):
                said = {"side_effect": says} if isinstance(says, Exception) else {"new": says}
                with patch.object(worker, "last_deferral", **said), self.assertRaises(TimeoutError):
                    asyncio.run(asyncio.wait_for(self.worker._watch(), 0.5))

    def test_for_owners_of_the_workspace_alone(self) -> None:
        other = make_site()
        mail.later(workspace_id=other.workspace_id, subject="s", body="b", to="a@shop.example")
        self.assertEqual(self.told(), [])
        self.assertEqual(Member(self.site).client.get(self.address).status_code, 403)
