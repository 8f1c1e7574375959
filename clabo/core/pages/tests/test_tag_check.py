"""What a page's HTML says of the tag."""

from __future__ import annotations

from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from clabo.core.pages.tag_check import MOST_LINKS, blocked_by, read_page

KEY, ORIGIN, URL = "0123456789abcdef", "https://clabo.example", "https://shop.example/a/"
LINE = f'<script async src="{ORIGIN}/tag/{KEY}.js"></script>'


class Reading(TestCase):
    def verdicts(self, html: str, *policies: str) -> list[str]:
        findings = read_page(html, URL, KEY, ORIGIN, policies).findings
        # Only that it is there is good.
        self.assertEqual([f.good for f in findings], [f.verdict == "found" for f in findings])
        return [f.verdict for f in findings]

    def test_the_ways_a_tag_can_be_there(self) -> None:
        for html, expected in (
            (f"<head>{LINE}</head><body>", ["found"]),
            ("<head></head>", ["missing"]),
            (f"<head>{LINE}{LINE}</head>", ["found", "twice"]),
            (f"<body>{LINE}", ["found", "in_body"]),
            (f"<head>{LINE.replace('0123', 'ffff')}</head>", ["missing", "old_key"]),
            (f"<head>{LINE.replace('async ', '')}</head>", ["found", "not_async"]),
            (f"<head>{LINE.replace('async', 'async type=text/plain')}</head>", ["found", "gated"]),
            (f"<head>{LINE.replace('async src', 'async data-src')}</head>", ["found", "gated"]),
            (f"<head><!-- {LINE} --></head>", ["missing"]),
            (f"<head>{LINE.replace('clabo.example', 'elsewhere.example')}</head>", ["missing"]),
            (f"<title>&lt;script src={ORIGIN}/tag/{KEY}.js></title>", ["missing"]),
        ):
            self.assertEqual(self.verdicts(html), expected, html)

    def test_details_say_which_and_how_often(self) -> None:
        other, third = LINE.replace("0123", "ffff"), LINE.replace("0123", "eeee")
        html = f"<head>{LINE}{other}{LINE}{third}{LINE}</head>"
        found = {
            f.verdict: f.more for f in read_page(html, URL, KEY, ORIGIN, ["default-src 'none'"]).findings
        }
        self.assertEqual(found["twice"], "3 times")
        self.assertEqual(found["old_key"], f"eeee{KEY[4:]}, ffff{KEY[4:]}")
        self.assertEqual(found["blocked"], "connect-src, script-src")

    def test_one_good_line_among_several_is_enough_for_loading_at_once(self) -> None:
        plain = LINE.replace("async ", "")
        self.assertEqual(self.verdicts(f"<head>{plain}{LINE}</head>"), ["found", "twice"])
        for word in ("defer", "blocking=render"):
            self.assertEqual(self.verdicts(f"<head>{LINE.replace('async', word)}</head>"), ["found"])
        module = LINE.replace("async", "async type=module")
        self.assertEqual(self.verdicts(f"<head>{module}</head>"), ["found"])
        # The first line stands in the head; the other one does not count.
        self.assertEqual(self.verdicts(f"<head>{LINE}</head><body>{LINE}"), ["found", "twice"])
        self.assertEqual(self.verdicts(f"<head></head>{LINE}"), ["found", "in_body"])

    def test_other_elements_say_nothing(self) -> None:
        html = (
            "<tt>no title</tt><title>Page</title><b>no title either</b><meta http-equiv=refresh content=\"script-src 'none'\">"
            "<meta http-equiv=x-ua content=\"default-src 'none'\"><abbr href=/no></abbr><link href=/no><embed src=/no>"
            "<img src=/no><object src=/no></object><area href=/no><a name=here>no link</a>"
        )
        report = read_page(f"<head>{LINE}</head>{html}", URL, KEY, ORIGIN)
        self.assertEqual((report.title, report.links, report.frames), ("Page", [], []))
        self.assertEqual([f.verdict for f in report.findings], ["found"])
        self.assertEqual(MOST_LINKS, 500)
        # A nonce of the page's allows the line that carries it, and no other.
        self.assertEqual(blocked_by("script-src 'nonce-a'; connect-src *", ORIGIN, URL, "b"), ["script-src"])

    def test_much_is_read_up_to_a_bound(self) -> None:
        links = "".join(f"<a href=/{n}>x</a>" for n in range(MOST_LINKS + 5))
        report = read_page(f"<title>{'t' * 500}</title><title>second</title>{links}", URL, KEY, ORIGIN)
        self.assertEqual(len(report.links), MOST_LINKS)
        frames = "".join(f"<iframe src=/{n}></iframe>" for n in range(MOST_LINKS + 5))
        self.assertEqual(len(read_page(frames, URL, KEY, ORIGIN).frames), MOST_LINKS)
        self.assertEqual(report.title, "t" * 300)
        twice = read_page("<a href=/a#1></a><a href=/a#2></a><a href></a><iframe></iframe>", URL, KEY, ORIGIN)
        self.assertEqual((twice.links, twice.frames), (["https://shop.example/a"], []))

    def test_the_pages_own_policy(self) -> None:
        for policy, refused in (
            ("default-src 'self'", ["script-src", "connect-src"]),
            (f"script-src {ORIGIN}; connect-src {ORIGIN}", []),
            ("default-src 'self'; script-src https:; connect-src *", []),
            ("script-src *.example; connect-src http://clabo.example", []),
            ("script-src https://*.clabo.example", ["script-src"]),
            ("script-src clabo.example:8443; img-src *", ["script-src"]),
            ("script-src-elem 'none'; script-src *", ["script-src"]),
            ("script-src 'strict-dynamic' https: 'nonce-abc'", ["script-src"]),
            ("upgrade-insecure-requests", []),
            ("script-src clabo.example; connect-src 'none'", ["connect-src"]),
            ("connect-src https://clabo.example:443/hit/", []),
            ("connect-src https://clabo.example:*", []),
            ("connect-src https://clabo.example:444", ["connect-src"]),
            ("connect-src wss:", ["connect-src"]),
            ("connect-src http:", []),
            ("connect-src ftp://clabo.example", ["connect-src"]),
            ("connect-src https://clabo.example:x", ["connect-src"]),
            ("connect-src https://xclabo.example", ["connect-src"]),
            ("connect-src *.clabo.example *.example.org", ["connect-src"]),
            ("CONNECT-SRC 'none'; connect-src *", ["connect-src"]),
            ("script-src; connect-src *", ["script-src"]),
            ("default-src 'none'; script-src-elem *; connect-src *", []),
            (";;  ; default-src https:", []),
        ):
            self.assertEqual(blocked_by(policy, ORIGIN, URL), refused, policy)
        self.assertEqual(blocked_by("default-src 'self'", "https://shop.example", URL), [])
        self.assertEqual(
            blocked_by("default-src 'self'", "http://shop.example", URL), ["script-src", "connect-src"]
        )
        self.assertEqual(blocked_by("script-src 'nonce-x'", ORIGIN, URL, "x"), [])
        self.assertEqual(blocked_by("connect-src 'nonce-x'", ORIGIN, URL, "x"), ["connect-src"])
        self.assertEqual(blocked_by("connect-src *", "ftp://clabo.example", URL), ["connect-src"])
        # Without a scheme of its own a source has the page's, and http grows into https.
        self.assertEqual(blocked_by("connect-src clabo.example", ORIGIN, "http://shop.example/"), [])
        self.assertEqual(
            blocked_by("connect-src clabo.example", "http://clabo.example", URL), ["connect-src"]
        )
        self.assertEqual(blocked_by("connect-src clabo.example:8000", "https://clabo.example:8000", URL), [])
        nonced = LINE.replace("async", "async nonce=abc")
        self.assertEqual(self.verdicts(nonced, "script-src 'strict-dynamic' 'nonce-abc'"), ["found"])
        meta = "<meta http-equiv=Content-Security-Policy content=\"script-src 'none'\">"
        self.assertEqual(self.verdicts(f"<head>{meta}{LINE}</head>"), ["found", "blocked"])
        both = ("script-src *", "script-src 'none'")
        self.assertEqual(self.verdicts(f"<head>{LINE}</head>", *both), ["found", "blocked"])

    def test_links_and_frames_are_gathered(self) -> None:
        report = read_page(
            "<title> A\n b </title><a href='../c#x'>1</a><a href='/a?b=1'>2</a><a href='javascript:x'>3</a>"
            "<a href='http://[bad'>4</a><iframe src=//forms.example/f></iframe>",
            URL,
            KEY,
            ORIGIN,
        )
        self.assertEqual(report.title, "A b")
        self.assertEqual(report.links, ["https://shop.example/c", "https://shop.example/a?b=1"])
        self.assertEqual(report.frames, ["https://forms.example/f"])

    @given(st.text(alphabet="<>/=\"' scriptbodyhead!-&;#x0", max_size=200))
    def test_any_text_is_read(self, html: str) -> None:
        self.assertTrue(read_page(html, URL, KEY, ORIGIN).findings)
