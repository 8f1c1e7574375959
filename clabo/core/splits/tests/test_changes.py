"""Changes of a page: read, written, and what is refused."""

from __future__ import annotations

from typing import Any
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from clabo.core.rules.errors import RuleError
from clabo.core.splits.changes import (
    CHANGES,
    MOST_CHANGES,
    STYLES,
    Moved,
    Sheet,
    read_changes,
    selectors,
    touched,
)
from clabo.core.splits.markup import TAGS, cleaned, nodes
from clabo.platform.wording import say
from clabo.platform.wording.splits.changes import change_says

SELECTORS = st.sampled_from(["h1", "#order > a.cta", '[data-part="price"]', "main p:nth-child(2)"])
WORDS = st.text(min_size=1, max_size=40).filter(lambda t: t.strip() and "\x00" not in t)
ADDRESSES = st.sampled_from(
    ["/order", "https://shop.example/a?b=1#c", "mailto:ada@shop.example", "tel:+1", "#price"]
)
PLACES = st.sampled_from(["before", "after"])
ONE: st.SearchStrategy[dict[str, Any]] = st.one_of(
    st.fixed_dictionaries({"selector": SELECTORS, "text": WORDS}).map(lambda d: {"words": d}),
    st.fixed_dictionaries({"selector": SELECTORS, "to": ADDRESSES}).map(lambda d: {"link": d}),
    st.fixed_dictionaries({"selector": SELECTORS, "address": st.just("/a.png")}).map(
        lambda d: {"picture": d}
    ),
    SELECTORS.map(lambda s: {"hide": {"selector": s}}),
    SELECTORS.map(lambda s: {"show": {"selector": s}}),
    st.fixed_dictionaries({"selector": SELECTORS, "place": PLACES, "of": SELECTORS}).map(
        lambda d: {"move": d}
    ),
    st.fixed_dictionaries(
        {
            "selector": SELECTORS,
            "property": st.sampled_from(STYLES),
            "value": st.sampled_from(["20px", "#5b2a66", "1.5em 2%"]),
        }
    ).map(lambda d: {"style": d}),
    st.fixed_dictionaries(
        {
            "selector": SELECTORS,
            "place": PLACES,
            "template": st.sampled_from(["banner", "panel", "notice"]),
            "title": WORDS,
        }
    ).map(lambda d: {"block": d}),
    st.fixed_dictionaries(
        {"selector": SELECTORS, "place": PLACES, "html": st.just('<p class="a">b</p>')}
    ).map(lambda d: {"html": d}),
    st.just({"sheet": {"css": "h1{color:#5b2a66}"}}),
    st.fixed_dictionaries({"selector": SELECTORS, "fallback": st.just("main > :first-child")}).map(
        lambda d: {"hide": d}
    ),
)


class Changes(TestCase):
    @given(st.lists(ONE, max_size=8))
    def test_what_is_read_is_what_is_written(self, data: list[dict[str, Any]]) -> None:
        changes = read_changes(data)
        again = [c.json() for c in changes]
        self.assertEqual(read_changes(again), changes)
        # Text is trimmed, and nothing else becomes of it.
        for one, back in zip(data, again, strict=True):
            [key] = one
            trimmed = {k: v.strip() for k, v in one[key].items()}
            self.assertEqual(back, {key: trimmed})
        for change in changes:
            if isinstance(change, Sheet):
                self.assertIn("h1", touched(changes))
                continue
            self.assertIn(change.selector, selectors(changes))
            if isinstance(change, Moved):
                self.assertIn(change.of, selectors(changes))
            self.assertIn(change.selector, change_says(change))

    def test_what_cannot_be_a_change_is_told_by_its_place(self) -> None:
        h1 = {"selector": "h1"}
        wrong: list[tuple[Any, str, str]] = [
            ({}, "", "change_no_list"),
            ("words", "", "change_no_list"),
            ([{"hide": h1}] * (MOST_CHANGES + 1), "", "change_too_many"),
            (["hide"], "[0]", "change_one"),
            ([{"hide": h1, "show": h1}], "[0]", "change_one"),
            ([{"script": h1}], "[0]", "change_one"),
            ([{"hide": "h1"}], "[0].hide", "needs_object"),
            ([{"hide": h1}, {"words": {**h1, "text": " "}}], "[1].words.text", "change_ask_words"),
            ([{"words": {**h1, "text": "a\x00"}}], "[0].words.text", "nul"),
            ([{"words": {**h1, "text": "a" * 2001}}], "[0].words.text", "too_long"),
            ([{"words": {**h1, "text": "a", "html": "<b>"}}], "[0].words", "unknown_part"),
            ([{"hide": {**h1, "fallback": "a{}"}}], "[0].hide.fallback", "change_no_element"),
            ([{"sheet": {"css": " "}}], "[0].sheet.css", "sheet_empty"),
            ([{"sheet": {"css": "h1{}\n@import 'x';"}}], "[0].sheet.css", "sheet_unreadable"),
            (
                [{"html": {**h1, "place": "after", "html": "<script>1</script>"}}],
                "[0].html.html",
                "change_no_markup",
            ),
            ([{"hide": {}}], "[0].hide.selector", "change_ask_element"),
            ([{"move": {**h1, "place": "in", "of": "h2"}}], "[0].move.place", "choose_one"),
            ([{"move": {**h1, "place": "after", "of": "a{}"}}], "[0].move.of", "change_no_element"),
            (
                [{"style": {**h1, "property": "position", "value": "fixed"}}],
                "[0].style.property",
                "choose_one",
            ),
            (
                [{"block": {**h1, "place": "after", "template": "banner", "title": ""}}],
                "[0].block.title",
                "change_ask_title",
            ),
            (
                [{"block": {**h1, "place": "after", "template": "banner", "title": "a", "button": "Go"}}],
                "[0].block.to",
                "change_button_and_address",
            ),
        ]
        for data, field, code in wrong:
            with self.assertRaises(RuleError, msg=str(data)) as refused:
                read_changes(data)
            self.assertEqual((refused.exception.field, refused.exception.told.code), (field, code))
            self.assertTrue(say(refused.exception.told).endswith("."))

    def test_nothing_that_is_code_or_ends_a_style_sheet(self) -> None:
        for selector in ("a{}", "a}b{", "@import 'x'", "a;b", "<style>", "a/**/b", "a\nb", "x" * 301):
            self.refused({"hide": {"selector": selector}})
        for to in (
            "javascript:alert(1)",
            "JavaScript:alert(1)",
            " javascript:alert(1)",
            "java\tscript:alert(1)",
            "data:text/html,x",
            "vbscript:x",
            "order",
            "\\\\evil.example",
            "http://[",
        ):
            self.refused({"link": {"selector": "a", "to": to}})
        for address in ("data:image/svg+xml,<svg onload=x>", "mailto:a@b", "tel:1", "blob:x"):
            self.refused({"picture": {"selector": "img", "address": address}})
        for value in (
            "url(x)",
            "URL(x)",
            "red;color:blue",
            "expression(1)//",
            "a\\9",
            "var(--x)}",
            "1px!important",
        ):
            self.refused({"style": {"selector": "a", "property": "color", "value": value}})

        for css in (
            "a{background:url(//evil.example)}",
            "a{background:\\75 rl(x)}",
            "a{background:image-set('x')}",
            "@font-face{font-family:a;src:url(x)}",
            "a{width:expression(1)}",
            "a{behavior:none}",
            "a{color:red}}",
            "</style><script>",
            "@namespace x 'y';",
        ):
            self.refused({"sheet": {"css": css}})

    def test_a_property_is_one_of_a_list_however_it_is_written(self) -> None:
        for css in (
            r"h1{x\3a 1\3b background\3a url(\2f\2f evil.example): 1}",
            r"h1{color\3a red\7d body\7b display: none}",
            "h1{behavior: x}",
            "h1{-moz-binding: x}",
            "h1{colour: red}",
            "h1{-webkit-src: x}",
        ):
            with self.subTest(css=css), self.assertRaises(RuleError) as caught:
                read_changes([{"sheet": {"css": css}}])
            self.assertIn(caught.exception.told.code, ("sheet_no_property", "sheet_unreadable"))
        [said] = read_changes([{"sheet": {"css": r"h1{c\6flor:red;--own-1:2;-webkit-user-select:none}"}}])
        self.assertEqual(
            said.for_tag()["sheet"]["rules"], ["h1{color:red;--own-1:2;-webkit-user-select:none;}"]
        )

    def test_what_is_nested_too_deep_is_refused_before_it_is_read(self) -> None:
        for css in ("@media all{" * 900 + "h1{}" + "}" * 900, "h1{color:" + "a(" * 4000 + ")" * 4000 + "}"):
            with self.assertRaises(RuleError) as caught:
                read_changes([{"sheet": {"css": css}}])
            self.assertEqual(caught.exception.told.code, "sheet_too_deep")

    def test_markup_comes_as_nodes_and_a_sheet_as_rules(self) -> None:
        given = (
            '<p onclick="x()">A <b>b</b></p><img src="x" onerror="x()"><a href="javascript:x">c</a><!-- -->'
        )
        markup, sheet = read_changes(
            [
                {"html": {"selector": "h1", "place": "after", "html": given}},
                {
                    "sheet": {
                        "css": "/* */ h1 {color:red !important}\n@media (max-width:600px){.a, b>i{margin:0}}"
                    }
                },
            ]
        )
        self.assertEqual(
            markup.for_tag()["html"]["nodes"],
            [["p", {}, ["A ", ["b", {}, ["b"]]]], ["img", {"src": "x"}, []], ["a", {}, ["c"]]],
        )
        self.assertEqual(
            sheet.for_tag()["sheet"]["rules"],
            ["h1{color:red!important;}", "@media (max-width:600px){.a, b>i{margin:0;}}"],
        )
        self.assertEqual(touched([markup, sheet]), ["h1", ".a, b>i"])

    @given(st.text(alphabet="<>/\"'=& pabsvgimgonerrorscript:-!", max_size=60))
    def test_what_is_cleaned_stays_as_it_is(self, html: str) -> None:
        once = cleaned(html)
        self.assertEqual(cleaned(once), once)

        def walk(several: list[Any]) -> None:
            for node in several:
                if not isinstance(node, str):
                    self.assertIn(node[0], TAGS)
                    self.assertFalse([name for name in node[1] if name.startswith("on") or name == "style"])
                    walk(node[2])

        walk(nodes(html))

    def refused(self, change: dict[str, Any]) -> None:
        with self.assertRaises(RuleError, msg=str(change)):
            read_changes([change])

    def test_each_kind_is_known_by_its_key(self) -> None:
        self.assertEqual(
            set(CHANGES),
            {"words", "link", "picture", "hide", "show", "move", "style", "block", "html", "sheet"},
        )
