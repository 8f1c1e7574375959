"""The test runner."""

from __future__ import annotations

import os
import time
import unittest
from typing import Any

import hypothesis
from django.conf import settings
from django.db import connection
from django.test.runner import DiscoverRunner, ParallelTestSuite, RemoteTestResult, RemoteTestRunner

from clabo.testing import durations
from clabo.testing.sessions import end_other_sessions

# How quick the machine is, and whether it has ever drawn an example before, is no matter of the tests.
hypothesis.settings.register_profile(
    "clabo", deadline=None, suppress_health_check=[hypothesis.HealthCheck.too_slow]
)
hypothesis.settings.load_profile("clabo")


class PortableResult(RemoteTestResult):
    """Sends a failed subtest home without what its test holds (clients, servers), which cannot travel."""

    _began = (0.0, 0.0)

    def startTest(self, test: Any) -> None:  # noqa: N802
        super().startTest(test)
        self._began = time.perf_counter(), time.process_time()

    def stopTest(self, test: Any) -> None:  # noqa: N802
        super().stopTest(test)
        took = time.perf_counter() - self._began[0], time.process_time() - self._began[1]
        durations.note(test.id(), *took)

    def addSubTest(self, test: Any, subtest: Any, err: Any) -> None:  # noqa: N802
        """Record the subtest under a fresh instance of its test."""
        bare = type(test)(test._testMethodName)
        # The mark for “no message” is told by identity, which does not travel either.
        message = "" if type(subtest._message) is object else subtest._message
        told = type(subtest)(bare, message, subtest.params)
        super().addSubTest(bare, told, err)


class PortableRunner(RemoteTestRunner):
    resultclass = PortableResult


class PortableSuite(ParallelTestSuite):
    """Gives out the longest classes first, those that wait beside those that compute."""

    runner_class = PortableRunner

    def __init__(self, subsuites: list[unittest.TestSuite], *args: Any, **kwargs: Any) -> None:
        super().__init__(durations.ordered(subsuites), *args, **kwargs)


class Runner(DiscoverRunner):
    """Django's runner, closing with one line that says how many passed, failed and were skipped."""

    parallel_test_suite = PortableSuite

    def setup_test_environment(self, **kwargs: Any) -> None:
        super().setup_test_environment(**kwargs)
        # A slow hash is the point of a password hash, and not of these tests.
        settings.PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]

    def run_suite(self, suite: unittest.TestSuite, **kwargs: Any) -> Any:
        # Playwright's sync API leaves an event loop in the test's thread.
        os.environ["DJANGO_ALLOW_ASYNC_UNSAFE"] = "true"
        with durations.noted():
            found = super().run_suite(suite, **kwargs)
            for line in durations.slowest():
                print(line)
        return found

    def teardown_databases(self, old_config: Any, **kwargs: Any) -> None:
        # Threads of servers that tests have run keep their connections, and would keep the database.
        connection.close()
        end_other_sessions(connection.settings_dict["NAME"])
        super().teardown_databases(old_config, **kwargs)

    def suite_result(self, suite: unittest.TestSuite, result: Any, **kwargs: Any) -> int:
        broken = super().suite_result(suite, result, **kwargs)
        failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
        skipped = len(result.skipped)
        passed = max(0, result.testsRun - failed - skipped)
        print(f"\n{passed} passed, {failed} failed, {skipped} skipped", flush=True)
        if not result.testsRun:
            print("No test was run.", flush=True)
            return 1
        return broken
