"""Pages that nobody here wrote, what a visitor does on them, and what the tag must have seen: all of it and no more.

Each case is a small site below a path of its own. In the HTML `{tag}` stands for the kit's line, `{early}` for the one
with what lets a page call before the tag is there, `{base}` for the case's path, `{lib}` for where the libraries lie.
What is expected: "view /path", "form id", "tried id", "click words", "mark name", "note twice"; titles as "title /path …".
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from clabo.testing.foreign import Answer

Step = tuple[str | int, ...]
# Longer than a form's fate is watched.
WAITED = 16_500
SENT = Answer('{"ok": true}', "application/json")
REFUSED = Answer('{"ok": false}', "application/json", 422)


@dataclass(frozen=True, slots=True)
class Case:
    """`pages`: HTML (or an answer) by path. `begin` at the first of them. `hold`: how long the last page stays open, in ms."""

    name: str
    group: str
    pages: Mapping[str, str | Answer]
    steps: Sequence[Step]
    expect: Sequence[str]
    hold: int = 700
    # Clicks are not told apart from others by default: what is sent besides them is what matters.
    clicks: bool = False
    titles: bool = False
    # Errors that the page itself throws.
    own_errors: str = ""
    # The kit's line and its answer as they are served under these headers.
    headers: Mapping[str, str] = field(default_factory=dict)


def page(body: str, head: str = "", title: str = "Page", line: str = "{tag}") -> str:
    """A page with the tag."""
    return f"<!doctype html><html><head><title>{title}</title>{line}{head}</head><body>{body}</body></html>"


def sending(
    then: str, fields: str = "<input name=mail value=x@y.example>", where: str = "ok", extra: str = ""
) -> str:
    """A form whose sending the page takes over: it asks `where` and then does `then` (with `f` the form, `a` the answer)."""
    return (
        f"<div id=panel><form id=f {extra}>{fields}<button id=go>Go</button></form></div><p id=out></p><script>"
        "const f = document.querySelector('#f'), out = document.querySelector('#out'), panel = document.querySelector('#panel');"
        "f.addEventListener('submit', async (e) => { e.preventDefault();"
        f" const a = await fetch('{{base}}/{where}', {{method: 'POST', body: 'x'}}); {then} }});</script>"
    )


GO: Step = ("click", "#go")
ENDPOINTS: dict[str, str | Answer] = {"/ok": SENT, "/bad": REFUSED}


def form(
    name: str, body: str, *expect: str, steps: Sequence[Step] = (GO,), hold: int = 1800, **more: object
) -> Case:
    """A case of one page with forms; the view of it is expected besides."""
    pages: dict[str, str | Answer] = {"/": page(body), **ENDPOINTS, **more.pop("pages", {})}  # type: ignore[dict-item]
    return Case(name, "forms", pages, steps, ["view /", *expect], hold, **more)  # type: ignore[arg-type]


FRAGMENT = "<form id=f hx-post='{base}/%s' hx-swap=outerHTML><input name=mail value=x><button id=go>Go</button></form>"
SWAPPED = "<form id=f hx-post='{base}/again' hx-swap=outerHTML><p class=error>Please enter an address.</p><input name=mail value=x><button id=go>Go</button></form>"
SHADOW = (
    "<x-box></x-box><script>customElements.define('x-box', class extends HTMLElement { connectedCallback() {"
    " this.attachShadow({mode: 'open'}).innerHTML = `%s`; %s } })</script>"
)
DONE = {"/done": page("<p>Done</p>")}

FORMS = [
    form(
        "native",
        "<form id=f action='{base}/done'><input name=q value=1><button id=go>Go</button></form>",
        "form f",
        "view /done",
        pages=DONE,
    ),
    form(
        "native-refused",
        "<form id=f action='{base}/done'><input name=q required><button id=go>Go</button></form>",
        "tried f",
        "form f",
        "view /done",
        steps=[GO, ("wait", 500), ("fill", "[name=q]", "1"), GO],
        pages=DONE,
    ),
    form("hidden-after-answer", sending("f.hidden = true"), "form f"),
    form("emptied-after-answer", sending("f.querySelector('[name=mail]').value = ''"), "form f"),
    form(
        "reset-after-answer",
        sending("f.reset()", "<input name=mail>"),
        "form f",
        steps=[("fill", "[name=mail]", "a"), GO],
    ),
    form("answer-alone", sending(""), "form f", hold=2600),
    form("answer-refused", sending("", where="bad"), "tried f"),
    form(
        "emptied-without-a-request",
        "<form id=f onsubmit='this.q.value = \"\"; return false'><input name=q value=1><button id=go>Go</button></form>",
        "tried f",
        hold=WAITED,
    ),
    form("reset-though-refused", sending("f.reset()", where="bad"), "tried f"),
    form(
        "reset-with-an-error-in-words",
        sending("f.reset(); out.textContent = 'This address is already known.'"),
        "tried f",
    ),
    form(
        "an-alert-in-other-words",
        sending("out.setAttribute('role', 'alert'); out.textContent = 'Adres zajęty'"),
        "tried f",
        hold=2600,
    ),
    form(
        "looked-at-by-a-script",
        "<form id=f><input name=q required><button type=button id=go onclick='this.form.checkValidity()'>Check</button></form>",
        steps=[GO, ("wait", 500), GO],
    ),
    form(
        "thanks-beside-it",
        sending("out.textContent = 'Thank you, we will write.'", where="nowhere"),
        "form f",
    ),
    form("sorry-beside-it", sending("out.textContent = 'That did not work.'"), "tried f", hold=2600),
    form(
        "error-in-the-fields",
        sending("f.querySelector('[name=mail]').setAttribute('aria-invalid', 'true')"),
        "tried f",
    ),
    form(
        "swapped-with-an-error",
        sending("panel.innerHTML = panel.innerHTML.replace('<form', '<p>Please mend it.</p><form')"),
        "tried f",
        hold=WAITED,
    ),
    form(
        "refused-and-panel-closed",
        sending(
            "out.innerHTML = '<b>That is no address</b> <button id=x>Close</button>'; document.querySelector('#x').onclick = () => panel.remove()",
            where="bad",
        ),
        "tried f",
        steps=[GO, ("wait", 600), ("click", "#x")],
    ),
    form(
        "checked-by-the-page-and-panel-closed",
        "<div id=panel><form id=f onsubmit=\"out.textContent='?';return false\"><input name=q value=1><button id=go>Go</button></form><p id=out></p><button id=x onclick='panel.remove()'>Close</button></div>",
        "tried f",
        steps=[GO, ("wait", 600), ("click", "#x")],
    ),
    form(
        "dialog-dismissed",
        "<dialog open id=d><form id=f onsubmit='return false'><input name=q value=1><button id=go>Go</button></form><button id=x onclick='d.close()'>Cancel</button></dialog>",
        "tried f",
        steps=[GO, ("wait", 600), ("click", "#x")],
    ),
    form(
        "refused-and-a-link-followed",
        sending("out.textContent = 'No'", where="bad") + "<a id=on href='{base}/done'>Elsewhere</a>",
        "tried f",
        "view /done",
        steps=[GO, ("click", "#on")],
        pages=DONE,
    ),
    form(
        "left-unanswered-by-a-link",
        "<form id=f onsubmit='return false'><input name=q value=1><button id=go>Go</button></form><a id=on href='{base}/done'>Elsewhere</a>",
        "tried f",
        "view /done",
        steps=[GO, ("wait", 500), ("click", "#on")],
        pages=DONE,
    ),
    form("led-on-by-the-page", sending("location.href = '{base}/done'"), "form f", "view /done", pages=DONE),
    form(
        "address-changed-by-the-page",
        sending("history.pushState({}, '', '{base}/done')"),
        "form f",
        "view /done",
    ),
    form(
        "address-changed-by-a-click",
        sending("", where="bad")
        + "<a id=on href='#' onclick=\"history.pushState({}, '', '{base}/done'); return false\">Next</a>",
        "tried f",
        "view /done",
        steps=[GO, ("click", "#on")],
    ),
    form(
        "submit-inside-a-prevented-submit",
        "<form id=f action='{base}/done' onsubmit='event.preventDefault(); this.submit()'><input name=q value=1><button id=go>Go</button></form>",
        "form f",
        "view /done",
        pages=DONE,
    ),
    form(
        "submit-a-while-after-a-prevented-submit",
        "<form id=f action='{base}/done' onsubmit='event.preventDefault(); setTimeout(() => this.submit(), 2600)'><input name=q value=1><button id=go>Go</button></form>",
        "form f",
        "view /done",
        steps=[GO, ("wait", 3000)],
        pages=DONE,
    ),
    form(
        "upload-by-a-hidden-frame",
        "<form id=f action='{base}/ok' method=post enctype=multipart/form-data target=sink><input type=file name=file><button id=go>Go</button></form><iframe name=sink hidden></iframe>",
        "form f",
        hold=2500,
    ),
    form(
        "upload-by-a-hidden-frame-and-script",
        "<form id=f action='{base}/ok' method=post target=sink onsubmit='event.preventDefault(); this.submit()'><input name=q value=1><button id=go>Go</button></form>"
        "<iframe name=sink hidden onload='document.forms[0] && document.forms[0].reset()'></iframe>",
        "form f",
        hold=2500,
    ),
    form(
        "action-that-is-a-script",
        "<form id=f action='javascript:void(0)' onsubmit='setTimeout(() => this.remove(), 300)'><input name=q value=1><button id=go>Go</button></form>",
        "form f",
    ),
    form("pressed-twice", sending("f.hidden = true"), "form f", steps=[("twice", "#go")], hold=2500),
    form(
        "fields-named-like-its-own",
        "<form id=f action='{base}/done'><input name=closest value=1><input name=id value=2><input name=name value=3><input name=action value=4>"
        "<input name=getAttribute value=5><input name=querySelectorAll value=6><input name=isConnected value=7><button id=go>Go</button></form>",
        "form f",
        "view /done",
        pages=DONE,
    ),
    form(
        "button-outside",
        "<form id=f action='{base}/done'><input name=q value=1></form><button id=go form=f>Go</button>",
        "form f",
        "view /done",
        pages=DONE,
    ),
    form(
        "in-a-shadow-tree",
        SHADOW
        % (
            "<form id=inner><input name=q value=1><button id=go>Go</button></form>",
            "this.shadowRoot.querySelector('form').onsubmit = (e) => { e.preventDefault(); const t = e.target; setTimeout(() => t.remove(), 200) }",
        ),
        "form inner",
        steps=[("click", "x-box >>> #go")],
    ),
    form(
        "in-a-shadow-tree-and-sent-by-the-browser",
        SHADOW
        % ("<form id=inner action='{base}/done'><input name=q value=1><button id=go>Go</button></form>", ""),
        "form inner",
        "view /done",
        steps=[("click", "x-box >>> #go")],
        pages=DONE,
    ),
    form(
        "button-in-a-shadow-tree-of-a-form-outside",
        "<form id=f action='{base}/done'><input name=q value=1><x-box></x-box></form>"
        + (
            SHADOW
            % (
                "<button id=go>Go</button>",
                "this.shadowRoot.querySelector('button').onclick = () => this.closest('form').requestSubmit()",
            )
        ).replace("<x-box></x-box>", ""),
        "form f",
        "view /done",
        steps=[("click", "x-box >>> #go")],
        pages=DONE,
    ),
    form(
        "base-for-the-action",
        "<base href='{base}/deep/'><form id=f action=done><input name=q value=1><button id=go>Go</button></form>",
        "form f -> /deep/done",
        "view /deep/done",
        pages={"/deep/done": page("Done")},
    ),
    form(
        "search-with-the-return-key",
        "<form id=f action='{base}/done'><input name=q></form>",
        "form f",
        "view /done",
        steps=[("fill", "[name=q]", "bees"), ("press", "Enter")],
        pages=DONE,
    ),
    form(
        "its-code-is-kept-out",
        "<form id=f onsubmit='this.remove(); return false'><input name=q value=1><button id=go>Go</button></form><form id=n action='{base}/done'><input name=q value=1><button id=on>On</button></form>",
        "tried f",
        "form n",
        "view /done",
        steps=[GO, ("wait", 400), ("click", "#on")],
        pages=DONE,
        headers={"content-security-policy": "script-src 'unsafe-inline' 'unsafe-eval' {line}; connect-src *"},
    ),
    # Libraries.
    form(
        "hook-form-sent",
        "<div id=app></div>",
        "form seat",
        steps=[("fill", "[name=mail]", "a@b.example"), ("click", "button")],
        pages={
            "/": page(
                "<div id=app></div><script>document.body.dataset.to = '{base}/ok'</script><script src='{lib}/hook-form.js'></script>"
            )
        },
    ),
    form(
        "hook-form-emptied",
        "",
        "form seat",
        steps=[("fill", "[name=mail]", "a@b.example"), ("click", "button")],
        pages={
            "/": page(
                "<div id=app></div><script>Object.assign(document.body.dataset, {to: '{base}/ok', then: 'reset'})</script><script src='{lib}/hook-form.js'></script>"
            )
        },
    ),
    form(
        "hook-form-unfilled",
        "",
        "tried seat",
        steps=[("click", "button")],
        pages={
            "/": page(
                "<div id=app></div><script>document.body.dataset.to = '{base}/ok'</script><script src='{lib}/hook-form.js'></script>"
            )
        },
    ),
    form(
        "hook-form-refused",
        "",
        "tried seat",
        steps=[("fill", "[name=mail]", "a@b.example"), ("click", "button")],
        pages={
            "/": page(
                "<div id=app></div><script>document.body.dataset.to = '{base}/bad'</script><script src='{lib}/hook-form.js'></script>"
            )
        },
    ),
    form(
        "formik-sent",
        "",
        "form visit",
        steps=[("fill", "[name=mail]", "a@b.example"), ("click", "button")],
        pages={
            "/": page(
                "<div id=app></div><script>document.body.dataset.to = '{base}/ok'</script><script src='{lib}/formik.js'></script>"
            )
        },
    ),
    form(
        "formik-unfit",
        "",
        "tried visit",
        steps=[("fill", "[name=mail]", "nobody"), ("press", "Enter")],
        hold=WAITED,
        pages={
            "/": page(
                "<div id=app></div><script>document.body.dataset.to = '{base}/ok'</script><script src='{lib}/formik.js'></script>"
            )
        },
    ),
    form(
        "formik-refused",
        "",
        "tried visit",
        steps=[("fill", "[name=mail]", "a@b.example"), ("click", "button")],
        pages={
            "/": page(
                "<div id=app></div><script>document.body.dataset.to = '{base}/bad'</script><script src='{lib}/formik.js'></script>"
            )
        },
    ),
    form(
        "vee-sent",
        "",
        "form letter",
        steps=[("fill", "[name=mail]", "a@b.example"), ("click", "button")],
        pages={
            "/": page(
                "<div id=app></div><script>document.body.dataset.to = '{base}/ok'</script><script src='{lib}/vee.js'></script>"
            )
        },
    ),
    form(
        "vee-refused",
        "",
        "tried letter",
        steps=[("fill", "[name=mail]", "a@b.example"), ("click", "button")],
        pages={
            "/": page(
                "<div id=app></div><script>document.body.dataset.to = '{base}/bad'</script><script src='{lib}/vee.js'></script>"
            )
        },
    ),
    form(
        "htmx-sent",
        "",
        "form f",
        pages={
            "/": page(FRAGMENT % "thanks", "<script src='{lib}/htmx.js'></script>"),
            "/thanks": Answer("<p>It is booked.</p>"),
        },
    ),
    form(
        "htmx-swapped-with-an-error",
        "",
        "tried f",
        hold=WAITED,
        pages={
            "/": page(FRAGMENT % "again", "<script src='{lib}/htmx.js'></script>"),
            "/again": Answer(SWAPPED),
        },
    ),
    form(
        "htmx-refused",
        "",
        "tried f",
        pages={
            "/": page(FRAGMENT % "no", "<script src='{lib}/htmx.js'></script>"),
            "/no": Answer("no", status=422),
        },
    ),
    form(
        "turbo-frame-refused",
        "",
        "tried f",
        pages={
            "/": page(
                "<turbo-frame id=t><form id=f action='{base}/frame' method=post><input name=q value=1><button id=go>Go</button></form></turbo-frame>",
                "<script src='{lib}/turbo.js'></script>",
            ),
            "/frame": Answer(
                "<turbo-frame id=t><form id=f action='{base}/frame' method=post><p>Please mend it</p><input name=q value=1><button id=go>Go</button></form></turbo-frame>",
                status=422,
            ),
        },
    ),
    form(
        "turbo-frame-sent",
        "",
        "form f",
        pages={
            "/": page(
                "<turbo-frame id=t><form id=f action='{base}/frame' method=post><input name=q value=1><button id=go>Go</button></form></turbo-frame>",
                "<script src='{lib}/turbo.js'></script>",
            ),
            "/frame": Answer("<turbo-frame id=t><p>Booked.</p></turbo-frame>", headers={"x-any": "1"}),
        },
    ),
    form(
        "bootstrap-modal-dismissed",
        "",
        "tried f",
        steps=[("click", "#show"), ("wait", 600), GO, ("wait", 500), ("click", ".btn-close"), ("wait", 600)],
        pages={
            "/": page(
                "<button id=show class=btn data-bs-toggle=modal data-bs-target=#m>Show</button><div class='modal fade' id=m tabindex=-1><div class=modal-dialog><div class=modal-content>"
                "<div class=modal-header><button class=btn-close data-bs-dismiss=modal></button></div><form id=f onsubmit=\"this.classList.add('was-validated'); return false\"><input name=q class=form-control required><button id=go class=btn formnovalidate>Go</button></form></div></div></div>"
                "<script src='{lib}/bootstrap.js'></script>",
                "<link rel=stylesheet href='{lib}/bootstrap.css'>",
            )
        },
    ),
]


def views(
    name: str, pages: Mapping[str, str | Answer], steps: Sequence[Step], *expect: str, **more: object
) -> Case:
    """A case of what is a view of which page."""
    return Case(name, "views", {**ENDPOINTS, **pages}, steps, list(expect), **more)  # type: ignore[arg-type]


VIEWS = [
    views("one-page", {"/": page("A")}, [], "view /"),
    views(
        "campaign-tidied-away",
        {
            "/": page(
                "A", "<script>setTimeout(() => history.replaceState({}, '', location.pathname), 900)</script>"
            )
        },
        [("open", "{url}?utm_source=x&utm_medium=cpc"), ("wait", 1300)],
        "view /",
        "view /",
    ),
    views(
        "parameters-and-fragments",
        {"/": page("A")},
        [
            ("run", "history.pushState({}, '', '?t=5')"),
            ("wait", 200),
            ("run", "location.hash = 'b'"),
            ("wait", 200),
        ],
        "view /",
    ),
    views(
        "rewritten-at-once",
        {"/": page("A")},
        [
            ("run", "history.pushState({}, '', '{base}/old'); history.replaceState({}, '', '{base}/new')"),
            ("wait", 1300),
        ],
        "view /",
        "view /new",
    ),
    views(
        "navigation-intercepted",
        {
            "/": page(
                "<a id=on href='{base}/next'>Next</a><script>window.navigation && navigation.addEventListener('navigate', (e) => e.canIntercept && e.intercept({handler() { document.title = 'Next' }}))</script>"
            ),
            "/next": page("Next", title="Next"),
        },
        [("click", "#on"), ("wait", 1300)],
        "view /",
        "view /next",
    ),
    views(
        "back-and-forth",
        {"/": page("<a id=on href='{base}/b'>B</a>"), "/b": page("B")},
        [("click", "#on"), ("wait", 700), ("back",), ("wait", 700)],
        "view /",
        "view /b",
        "view /",
    ),
    views(
        "title-of-the-page-that-is-shown",
        {
            "/": page(
                "<button id=on>On</button><script>document.querySelector('#on').onclick = () => { history.pushState({}, '', '{base}/two'); setTimeout(() => { document.title = 'Two' }, 400) }</script>",
                title="One",
            )
        },
        [("click", "#on"), ("wait", 900)],
        "view /",
        "view /two",
        "title / One",
        "title /two Two",
        titles=True,
    ),
    views(
        "title-that-never-changes-and-left",
        {"/": page("A", title="Same")},
        [("run", "history.pushState({}, '', '{base}/two')"), ("wait", 200)],
        "view /",
        "view /two",
        "title / Same",
        "title /two Same",
        titles=True,
        hold=0,
    ),
    views(
        "react-router",
        {
            "/": page(
                "<div id=app></div><script>document.body.dataset.base = '{base}'</script><script src='{lib}/react-router.js'></script>"
            )
        },
        [
            ("click", "#one"),
            ("wait", 600),
            ("click", "#old"),
            ("wait", 600),
            ("click", "#two"),
            ("wait", 600),
            ("run", "document.querySelector('#two').click()"),
            ("wait", 300),
        ],
        "view /",
        "view /one",
        "view /new",
        "view /two",
        "title /one Route one",
        "title /new Route new",
        "title /two Route two",
        "title / Page",
        titles=True,
    ),
    views(
        "sent-on-late",
        {
            "/": page(
                "<button id=go onclick=\"history.pushState({}, '', '{base}/old')\">Go</button>", title="A"
            )
        },
        [
            ("click", "#go"),
            ("wait", 250),
            ("run", "history.replaceState({}, '', '{base}/new')"),
            ("wait", 200),
        ],
        "view /",
        "view /new",
    ),
    views(
        "wizard-that-replaces",
        {
            "/": page(
                "<script>let step = 0</script><button id=go onclick=\"history.replaceState({}, '', '{base}/step' + ++step)\">Go</button>",
                title="A",
            )
        },
        [("click", "#go"), ("wait", 100), ("click", "#go"), ("wait", 100), ("click", "#go"), ("wait", 300)],
        "view /",
        "view /step1",
        "view /step2",
        "view /step3",
    ),
    views(
        "vue-router",
        {
            "/": page(
                "<div id=app></div><script>document.body.dataset.base = '{base}/'</script><script src='{lib}/vue-router.js'></script>",
                title="Vue home",
            )
        },
        [
            ("click", "#one"),
            ("wait", 300),
            ("click", "#again"),
            ("wait", 300),
            ("back",),
            ("back",),
            ("wait", 1300),
        ],
        "view /",
        "view /one",
        "view /",
    ),
    views(
        "navigo",
        {
            "/": page(
                "<a id=one href='/one' data-navigo>One</a> <a id=two href='/two' data-navigo>Two</a><div id=app></div><script>document.body.dataset.base = '{base}'</script><script src='{lib}/navigo.js'></script>",
                title="Navigo home",
            )
        },
        [("click", "#one"), ("wait", 300), ("click", "#two"), ("wait", 300)],
        "view /",
        "view /one",
        "view /two",
        "title / Navigo home",
        "title /one Navigo one",
        "title /two Navigo two",
        titles=True,
    ),
    views(
        "turbo-drive",
        {
            "/": page("<a id=on href='{base}/b'>B</a>", "<script src='{lib}/turbo.js'></script>", title="A"),
            "/b": page("B", "<script src='{lib}/turbo.js'></script>", title="B"),
        },
        [("click", "#on"), ("until", "document.title === 'B'"), ("wait", 500)],
        "view /",
        "view /b",
        "title / A",
        "title /b B",
        titles=True,
    ),
    views(
        "document-opened-anew",
        {"/": page("A")},
        [
            (
                "run",
                "document.open(); document.write('<title>A</title><button id=b>Later</button>'); document.close()",
            ),
            ("click", "#b"),
        ],
        "view /",
        "click Later",
        clicks=True,
    ),
    views(
        "xhtml",
        {
            "/": Answer(
                '<?xml version="1.0"?><html xmlns="http://www.w3.org/1999/xhtml"><head><title>X</title>{tag}</head><body><p>Strict</p></body></html>',
                "application/xhtml+xml",
            )
        },
        [],
        "view /",
    ),
    views(
        "strict-policy-and-a-script-in-a-file",
        {
            "/": page("A", "<script src='{base}/own.js' nonce=n1></script>"),
            "/own.js": Answer(
                "(window.clabo=window.clabo||{q:[]}).q.push(['early', {n: 1}]); setTimeout(() => clabo.q.push(['late']), 1000)",
                "text/javascript",
            ),
        },
        [("wait", 1200)],
        "view /",
        "mark early",
        "mark late",
        headers={"content-security-policy": "script-src 'nonce-n1' {collector}; connect-src {collector}"},
    ),
    views(
        "an-order-said-as-data",
        {
            "/": page(
                '<script type=\'application/json\' data-clabo-mark=order>{"value": 59.9, "order": "A-1"}</script>'
            )
        },
        [],
        "view /",
        "mark order 59.9",
    ),
    views(
        "calls-before-the-tag",
        {"/": page("A", "<script>clabo.mark('early', {plan: 'kit'})</script>", line="{early}")},
        [],
        "view /",
        "mark early",
    ),
    views("twice", {"/": page("A", "{tag}")}, [], "view /", "note twice"),
]

THROWING = {
    "cookies-and-storage-that-throw": "for (const [of, name] of [[Document.prototype, 'cookie'], [window, 'localStorage'], [window, 'sessionStorage']]) Object.defineProperty(of, name, {get() { throw new DOMException('no') }, set() { throw new DOMException('no') }})",
    "fetch-missing": "window.fetch = undefined",
    "fetch-without-an-answer": "window.fetch = () => undefined",
    "fetch-of-null": "window.fetch = async () => null",
    "fetch-that-throws": "window.fetch = () => { throw new Error('page') }",
    "fetch-that-never-ends": "window.fetch = () => new Promise(() => {})",
    "fetch-with-headers": "const own = window.fetch; window.fetch = (to, how) => own(to, {...how, headers: {...(how || {}).headers, 'x-trace': '1', authorization: 'Bearer x'}})",
    "fetch-with-credentials": "const own = window.fetch; window.fetch = (to, how) => own(to, {...how, credentials: 'include'})",
    "built-ins-replaced": "Array.prototype.toJSON = String.prototype.toJSON = Object.prototype.toJSON = function () { return '' + this }; JSON.stringify = () => 'x'; JSON.parse = () => 7; Object.defineProperty(window, 'crypto', {value: {}}); window.Promise = class { then() {} }",
}
ALL_AT_ONCE = ";".join(
    THROWING[name] for name in ("cookies-and-storage-that-throw", "fetch-of-null", "built-ins-replaced")
) + (
    ";history.pushState = history.replaceState = null; window.MutationObserver = window.PerformanceObserver = window.WeakSet = window.WeakMap = function () { throw new Error('page') };"
    "navigator.sendBeacon = () => { throw new Error('page') }; Element.prototype.closest = Element.prototype.matches = () => { throw new Error('page') };"
    "window.matchMedia = null; Object.defineProperty(Event.prototype, 'composedPath', {value: null}); window.requestAnimationFrame = null; window.URL = null; window.URLSearchParams = null"
)
ENTRY_POINTS = [
    (
        "run",
        "clabo.mark(); clabo.mark(null, 7); clabo.mark('m', {get a() { throw 1 }}); clabo.mark(Symbol('x')); clabo.consent(true); clabo.consent(); clabo.q.push(); clabo.q.push(7); clabo.part && clabo.part('forms'); clabo.twice && clabo.twice()",
    ),
    (
        "run",
        "for (const name of ['click', 'auxclick', 'submit', 'invalid', 'keydown', 'focusin', 'pointermove', 'pointerdown', 'message', 'popstate', 'hashchange', 'pageshow', 'online']) for (const on of [window, document.querySelector('#f'), document.querySelector('input')]) on.dispatchEvent(new Event(name, {bubbles: true, cancelable: true}))",
    ),
    ("mouse", 30, 20),
    ("run", "location.hash = 'x'"),
    ("wait", 500),
]

HOSTILE = [
    *(
        Case(
            name,
            "hostile",
            {"/": page("A", f"<script>{code}</script>", line="").replace("</head>", "{early}</head>")},
            [("run", "clabo.mark('m', {n: 59.5, list: [1], text: 'täxt \\u2028'})"), ("wait", 3500)],
            ["view /", "mark m"],
            1200,
        )
        for name, code in THROWING.items()
    ),
    Case(
        "everything-at-once",
        "hostile",
        {
            "/": page(
                "<form id=f onsubmit='return false'><input name=closest><input name=id value=1><button id=go style='position:fixed;left:0;top:0;width:60px;height:40px'>Go</button></form>",
                f"<script>{ALL_AT_ONCE}</script>",
                line="",
            ).replace("</head>", "{early}</head>")
        },
        ENTRY_POINTS,
        [],
    ),
    Case(
        "every-way-in-on-a-plain-page",
        "hostile",
        {
            "/": page(
                "<form id=f onsubmit='return false'><input name=closest><input name=id value=1><button id=go style='position:fixed;left:0;top:0;width:60px;height:40px'>Go</button></form>"
            )
        },
        ENTRY_POINTS,
        ["view /", "mark undefined", "mark null", "mark Symbol(x)", "note twice", "tried f"],
    ),
    Case(
        "sandboxed",
        "hostile",
        {"/": page("A")},
        [("wait", 1500)],
        ["view /"],
        headers={"content-security-policy": "sandbox allow-scripts allow-forms"},
    ),
    Case(
        "trusted-types-that-allow-ours",
        "hostile",
        {"/": page(sending("f.hidden = true")), **ENDPOINTS},
        [GO],
        ["view /", "form f"],
        1800,
        headers={"content-security-policy": "require-trusted-types-for 'script'; trusted-types clabo"},
    ),
    Case(
        "trusted-types-that-do-not",
        "hostile",
        {"/": page(sending("f.hidden = true")), **ENDPOINTS},
        [GO],
        ["view /", "tried f"],
        1800,
        headers={"content-security-policy": "require-trusted-types-for 'script'; trusted-types 'none'"},
    ),
    Case(
        "worker-that-answers-itself",
        "hostile",
        {
            "/": page("A", "<script>navigator.serviceWorker.register('{base}/worker.js')</script>"),
            "/worker.js": Answer(
                "let on = true; addEventListener('install', () => skipWaiting()); addEventListener('activate', (e) => e.waitUntil(clients.claim())); addEventListener('fetch', (e) => { if (e.request.url.includes('/hit/')) e.respondWith(new Response('fine')) })",
                "text/javascript",
            ),
            "/off": page(
                "B",
                "<script>navigator.serviceWorker.getRegistrations().then((all) => Promise.all(all.map((r) => r.unregister()))).then(() => { document.title = 'off' })</script>",
                line="",
            ),
            "/after": page("C"),
        },
        [
            ("until", "navigator.serviceWorker.controller"),
            ("run", "clabo.mark('swallowed')"),
            ("wait", 400),
            ("open", "{base}/off"),
            ("until", "document.title === 'off'"),
            ("open", "{base}/after"),
            ("wait", 1500),
        ],
        ["view /", "mark swallowed", "view /after"],
    ),
    Case(
        "forty-events-on-a-long-address",
        "hostile",
        {"/": page("A")},
        [
            (
                "run",
                "history.replaceState({}, '', '?t=' + 'x'.repeat(1850)); for (let i = 0; i < 80; i++) clabo.mark('m' + i % 2, {text: 'ж'.repeat(280), n: i})",
            ),
            ("wait", 3000),
        ],
        ["view /", *["mark m0"] * 40, *["mark m1"] * 40],
    ),
    Case(
        "a-text-cut-in-the-middle-of-a-sign",
        "hostile",
        {"/": page("A", title="x" * 299 + "🐝")},
        [("run", "clabo.mark('m', {a: '\\ud800', b: 'a\\u0000b'})")],
        ["view /", "mark m"],
    ),
]

CLICKS = [
    Case(
        "links-of-every-kind",
        "clicks",
        {
            "/": page(
                "<map name=m><area id=a1 shape=rect coords=0,0,50,50 href='{base}/area' alt='The hive'></map><img usemap=#m width=50 height=50 alt='' src='data:image/gif;base64,R0lGODlhAQABAIAAAAAAAP///yH5BAEAAAAALAAAAAABAAEAAAIBRAA7'>"
                "<svg width=60 height=30><a id=a2 href='{base}/drawn'><text y=20>Drawn</text></a></svg>"
                "<svg width=60 height=30><a id=a3 xlink:href='{base}/old'><text y=20>Older</text></a></svg>"
                "<a id=a4 href='{base}/pic'><img alt='A smoker' width=20 height=20 src='data:image/gif;base64,R0lGODlhAQABAIAAAAAAAP///yH5BAEAAAAALAAAAAABAAEAAAIBRAA7'></a>"
                "<a id=a5 href='{base}/mid'>Middle</a>",
                "<script>for (const name of ['click', 'auxclick']) addEventListener(name, (e) => e.preventDefault())</script>",
            )
        },
        [("at", "img"), ("at", "#a2"), ("at", "#a3"), ("at", "#a4 img"), ("middle", "#a5")],
        ["view /", "click The hive", "click Drawn", "click Older", "click A smoker", "click Middle"],
        clicks=True,
    ),
    Case(
        "the-first-click-leads-away",
        "clicks",
        {"/": page("<a id=on href='{base}/b'>Onwards</a>"), "/b": page("B")},
        [("click", "#on"), ("wait", 700)],
        ["view /", "click Onwards", "view /b"],
        clicks=True,
    ),
]

CASES = [*FORMS, *VIEWS, *HOSTILE, *CLICKS]
