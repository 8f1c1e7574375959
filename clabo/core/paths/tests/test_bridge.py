"""Bridge links lead only where their owner said, and their references prove whose step it was."""

from __future__ import annotations

import hashlib
import hmac
from unittest import TestCase
from urllib.parse import parse_qsl, urlsplit
from uuid import UUID

from hypothesis import given
from hypothesis import strategies as st

from clabo.core.paths.bridge import (
    MOST_VALUE,
    Step,
    carried_parameters,
    forward_to,
    make_reference,
    read_reference,
    sale_id,
    signature,
)

SECRET = b"s" * 32
steps = st.builds(Step, visitor=st.uuids(), link=st.integers(0, 2**32 - 1), id=st.uuids())


class References(TestCase):
    @given(steps)
    def test_read_back_and_by_nobody_elses_secret(self, step: Step) -> None:
        text = make_reference(step, SECRET)
        self.assertEqual(len(text), 64)
        self.assertEqual(read_reference(text, SECRET), step)
        self.assertIsNone(read_reference(text, b"t" * 32))

    @given(steps, st.integers(0, 63), st.characters(codec="ascii"))
    def test_one_letter_changed_is_no_reference(self, step: Step, place: int, letter: str) -> None:
        text = make_reference(step, SECRET)
        changed = text[:place] + letter + text[place + 1 :]
        if changed != text:
            self.assertNotEqual(read_reference(changed, SECRET), step)

    def test_what_is_none(self) -> None:
        for text in ("", "x", "é" * 64, "=" * 64, "A" * 63, "A" * 65, "A" * 64):
            self.assertIsNone(read_reference(text, SECRET), text)

    @given(steps, st.text(max_size=9), st.text(max_size=9))
    def test_a_sale_is_one_by_step_and_order(self, step: Step, a: str, b: str) -> None:
        self.assertEqual(sale_id(step, a), sale_id(step, a))
        self.assertEqual(sale_id(step, a) == sale_id(step, b), a == b)
        other = Step(step.visitor, step.link, UUID(int=step.id.int ^ 1))
        self.assertNotEqual(sale_id(step, a), sale_id(other, a))

    def test_the_signature_is_hmac_sha256(self) -> None:
        self.assertEqual(signature(b"{}", "k"), hmac.new(b"k", b"{}", hashlib.sha256).hexdigest())


class Forwarding(TestCase):
    def test_what_is_passed_on(self) -> None:
        query = "utm_source=a&UTM_MEDIUM=b&sub1=c&sub6=d&xclid=e&clid=f&next=https://evil.example&pub=g&utm_source=h"
        self.assertEqual(
            carried_parameters(query, ["pub"]),
            [("utm_source", "a"), ("UTM_MEDIUM", "b"), ("sub1", "c"), ("xclid", "e"), ("pub", "g")],
        )
        self.assertEqual(carried_parameters("sub1=" + "x" * 300), [("sub1", "x" * MOST_VALUE)])
        self.assertEqual(
            len(carried_parameters("&".join(f"p{n}=1" for n in range(200)), [f"p{n}" for n in range(200)])),
            100,
        )

    @given(st.lists(st.tuples(st.text(max_size=8), st.text(max_size=20)), max_size=6))
    def test_scheme_host_and_what_the_target_says_stay(self, parameters: list[tuple[str, str]]) -> None:
        target = "https://partner.example:8443/suits?colour=white&empty=#size"
        parts = urlsplit(forward_to(target, parameters, "ref", "REFERENCE"))
        self.assertEqual(
            (parts.scheme, parts.netloc, parts.path, parts.fragment),
            ("https", "partner.example:8443", "/suits", "size"),
        )
        told = parse_qsl(parts.query, keep_blank_values=True)
        self.assertEqual(told[:2], [("colour", "white"), ("empty", "")])
        self.assertEqual(told[-1], ("ref", "REFERENCE"))
        self.assertEqual(sum(name == "ref" for name, _ in told), 1)
        self.assertEqual(told[2:-1], [p for p in parameters if p[0] not in ("colour", "empty", "ref")])
