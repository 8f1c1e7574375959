"""Brackenhive: a made-up maker of beekeeping starter kits. All that the simulator and the pages know."""

from __future__ import annotations

from dataclasses import dataclass, field
from decimal import Decimal
from typing import Any

from clabo.core.splits.targeting import Device

HOST = "brackenhive.example"
CURRENCY, TIME_ZONE = "EUR", "Europe/Vienna"
DAYS = 90
VISITS = 60_000


@dataclass(frozen=True, slots=True)
class DemoPage:
    """A page and how people behave who land on it."""

    path: str
    title: str
    # Probability that a visitor leaves at once, and that one who stays reaches each goal.
    bounce: float = 0.5
    goals: dict[str, float] = field(default_factory=dict)
    tags: int = 1
    # It had the tag until so many days ago.
    lost_days_ago: int | None = None
    # Half of its views on a desktop see its largest part within so many milliseconds.
    largest: int = 900


PAGES = [
    DemoPage("/", "Brackenhive", 0.42, {"order": 0.030, "guide": 0.05, "booking": 0.01, "contact": 0.02}),
    DemoPage("/starter-hive", "Start with one hive", 0.40, {"order": 0.062, "guide": 0.02}),
    DemoPage(
        "/starter-hive-b", "Start with one hive, the short story", 0.38, {"order": 0.092, "guide": 0.02}
    ),
    DemoPage("/first-season-guide", "Your first season, free guide", 0.50, {"guide": 0.36, "order": 0.012}),
    DemoPage(
        "/first-season-guide-b",
        "Your first season, free guide for beginners",
        0.50,
        {"guide": 0.36, "order": 0.012},
    ),
    DemoPage("/workshops", "Hands-on workshops", 0.36, {"booking": 0.075, "order": 0.012}),
    DemoPage("/workshops-b", "Hands-on workshops near you", 0.36, {"booking": 0.085, "order": 0.012}),
    DemoPage("/winter-kit", "Bring them through winter", 0.63, {"order": 0.011}, largest=2900),
    DemoPage("/suits", "Suits and veils", 0.55, {"order": 0.016, "partner": 0.24}),
    DemoPage("/configure", "Build your kit", 0.30, {"order": 0.075, "configured": 0.2}),
    DemoPage("/contact", "Ask a keeper", 0.35, {"contact": 0.3, "letter": 0.18}),
    DemoPage("/journal/thank-you-to-our-keepers", "A thank-you to our keepers", 0.71, {"guide": 0.03}),
    DemoPage("/journal/first-swarm", "The first swarm", 0.68, {"guide": 0.04, "order": 0.004}, tags=2),
    DemoPage("/queen-rearing", "Queen rearing course", 0.60, {"booking": 0.02}, tags=0, lost_days_ago=3),
    DemoPage("/gift-card", "A hive for somebody else", 0.49, {"order": 0.06}),
    DemoPage("/order", "Your order", 0.5),
    DemoPage("/order/thank-you", "Thank you for your order"),
    DemoPage("/guide/thank-you", "Your guide is on its way"),
    DemoPage("/workshops/thank-you", "Your place is booked"),
    DemoPage("/configure/frame", "Build your kit: the frames"),
    DemoPage("/configure/finish", "Build your kit: done"),
    DemoPage("/stockists", "Where to find us", tags=0),
]
# Where somebody has just left an e-mail address, and how many addresses there are.
STATING = ("/order/thank-you", "/guide/thank-you")
KEEPERS = 60_000
# Of a hundred visitors, so many have signed in to the shop once: it says on every page who they are.
SIGNED_IN = 30
BY_PATH = {p.path: p for p in PAGES}

# What is done on a page: (kind, element, name, properties).
Act = tuple[str, dict[str, Any], str, dict[str, Any]]
FORMS_ORIGIN = "https://forms.hivedesk.example"
BRIDGE, PARTNER_URL = "suits-partner", "https://meadow-suits.example/protective-suits"
# Where on its page the bridge link was followed, told by its sub-ID.
LINK_PLACES = ["in-text", "in-text", "price-button"]
BOOKED: Act = (
    "message",
    {
        "origin": FORMS_ORIGIN,
        "keys": {
            "source": "string",
            "event": "string",
            "booking.form": "string",
            "booking.seats": "number",
            "customer.name": "string",
            "customer.mail": "string",
        },
        "values": {"event": "booking.done", "booking.form": "workshop"},
    },
    "",
    {},
)
SHOWN_FORM: Act = (
    "message",
    {
        "origin": FORMS_ORIGIN,
        "keys": {"source": "string", "event": "string", "height": "number"},
        "values": {"event": "booking.ready"},
    },
    "",
    {},
)
CONTACT: Act = ("form", {"id": "contact", "fields": ["mail", "name", "question"]}, "", {})
CONTACT_TRIED: Act = ("tried", {"id": "contact", "fields": ["mail", "name", "question"]}, "", {})
LETTER: Act = ("form", {"id": "letter", "fields": ["mail"]}, "", {})
# Of those who see it and do not send it, how many begin it all the same, and where they leave it.
CONTACT_BEGUN = 0.3
CONTACT_LEFT = {"question": 5, "mail": 3, "name": 1}
# A view in so many says how long its page took.
MEASURED = 5
LETTER_THANKS: Act = ("shown", {"selector": "#letter-thanks"}, "", {})
CALL: Act = ("click", {"what": "phone", "text": "Call us", "to": "tel:+000 555 0140"}, "", {})
SUITS_LINK: Act = (
    "click",
    {"what": "outbound", "text": "Protective suits from our partner", "to": ""},
    "",
    {},
)

# The pages on the way to a goal, after the landing page, and what is done there; goals end in the last.


def address_of(keeper: int) -> str:
    """A made-up keeper's e-mail address."""
    return f"keeper-{keeper}@hives.example"


WAYS: dict[str, list[str | Act]] = {
    "order": ["/order", "/order/thank-you"],
    "guide": ["/guide/thank-you"],
    "booking": ["/workshops", SHOWN_FORM, BOOKED, "/workshops/thank-you"],
    "contact": ["/contact", CONTACT],
    "letter": ["/contact", LETTER, LETTER_THANKS],
    "partner": [SUITS_LINK, ("step", {}, BRIDGE, {})],
    "configured": ["/configure/frame", "/configure/finish", ("mark", {}, "kit_configured", {"frames": 10})],
}
WANDER = [
    "/",
    "/starter-hive",
    "/workshops",
    "/suits",
    "/configure",
    "/journal/first-swarm",
    "/first-season-guide",
    "/contact",
]


@dataclass(frozen=True, slots=True)
class DemoRule:
    """A conversion of the demo."""

    name: str
    category: str
    rule: dict[str, Any]
    counting: str
    value: Decimal | None
    value_property: str = ""
    lifetime_factor: Decimal | None = None
    # For `manage.py rehearse`.
    steps: str = ""


def _reached(path: str) -> dict[str, Any]:
    return {"page": {"match": "equals", "value": path}}


@dataclass(frozen=True, slots=True)
class DemoAudience:
    """An audience; conversions are named as {"conversion": name}."""

    name: str
    include: dict[str, Any]
    exclude: dict[str, Any] | None = None


def _part(what: dict[str, Any], start: int, end: int, times: int = 1) -> dict[str, Any]:
    return {"what": what, "from": start, "to": end, "times": times}


_KIT = {"any": [_reached("/starter-hive"), _reached("/starter-hive-b")]}
_GUIDE = {"page": {"match": "contains", "value": "first-season-guide"}}
_ORDERED = _part({"conversion": "starter_kit_order"}, 0, 365)
# Kept paths: name, steps, and seconds between the first and the last (None: within a visit).
PATHS: list[tuple[str, list[dict[str, Any]], int | None]] = [
    ("From the kit to an order", [_KIT, _reached("/order"), {"conversion": "starter_kit_order"}], None),
    (
        "From the configurator to an order",
        [_reached("/configure"), _reached("/order"), {"conversion": "starter_kit_order"}],
        None,
    ),
    (
        "Configured, then ordered within a week",
        [
            _reached("/configure"),
            {"event": {"name": "kit_configured", "where": []}},
            {"conversion": "starter_kit_order"},
        ],
        7 * 86_400,
    ),
]
UNWILLING = "Asked not to be shown ads"
AUDIENCES = [
    DemoAudience("Saw the starter kit, did not order", _part(_KIT, 0, 21), _ORDERED),
    DemoAudience(
        "Took the guide, may be written to",
        _part({"conversion": "guide_lead"}, 0, 120),
        {"any": [_ORDERED, {"what": {"list": UNWILLING}}]},
    ),
    DemoAudience("Ordered a starter kit", _ORDERED),
    DemoAudience("Guide readers, 0–14 days", _part(_GUIDE, 0, 14)),
    DemoAudience("Guide readers, 14–45 days", _part(_GUIDE, 14, 45), _part(_GUIDE, 0, 14)),
    DemoAudience("Guide readers, 45–120 days", _part(_GUIDE, 45, 120), _part(_GUIDE, 0, 45)),
    DemoAudience(
        "Configured, did not order",
        _part({"event": {"name": "kit_configured", "where": []}}, 0, 60),
        _ORDERED,
    ),
    DemoAudience(
        "Came twice, never converted",
        _part({"visit": "any"}, 0, 60, 2),
        {
            "any": [
                _ORDERED,
                *(
                    _part({"conversion": name}, 0, 365)
                    for name in ("guide_lead", "workshop_booking", "contact_request")
                ),
            ]
        },
    ),
    DemoAudience(
        "Gift buyers from paid ads",
        {"all": [_part(_reached("/gift-card"), 0, 7), _part({"came": {"channel": "paid"}}, 0, 7)]},
    ),
    DemoAudience(
        "Kit lookers", _part({"page": {"match": "begins", "value": "/starter-hive"}}, 0, 21), _ORDERED
    ),
    DemoAudience(
        "Guide, then the kit within three days",
        {"sequence": [_part(_GUIDE, 0, 90), _part(_KIT, 0, 90)], "within": 3 * 86_400},
        _ORDERED,
    ),
    DemoAudience(
        "Journal, under either spelling",
        _part(
            {
                "any": [
                    {"page": {"match": "begins", "value": "/journal/"}},
                    {"page": {"match": "begins", "value": "/Journal/"}},
                ]
            },
            0,
            30,
        ),
    ),
]


@dataclass(frozen=True, slots=True)
class DemoPlan:
    """A plan that has run at the practice network for so many days; audiences and conversions by their names.

    Each creative: headline, text, button, page. Without audiences it seeks new people.
    """

    name: str
    aim: str
    audiences: tuple[str, ...]
    creatives: tuple[tuple[str, str, str, str], ...]
    daily_budget: Decimal
    highest_click: Decimal
    cap: int
    days: int
    left_out: tuple[str, ...] = ()
    seek: dict[str, Any] | None = None
    shared: bool = False


PLANS = [
    # It wins: whoever looked at the kit or read the guide, and a budget that moves.
    DemoPlan(
        "Readers and lookers to a kit",
        "starter_kit_order",
        (
            "Saw the starter kit, did not order",
            "Guide readers, 0–14 days",
            "Guide readers, 14–45 days",
        ),
        (
            (
                "Your hive is still here",
                "Everything for one colony, in one box.",
                "See the kit",
                "/starter-hive-b",
            ),
            ("Build the kit you need", "Choose frames and tools yourself.", "Build it", "/configure"),
        ),
        Decimal(2),
        Decimal("2.50"),
        3,
        60,
        ("Ordered a starter kit",),
        shared=True,
    ),
    # It wears its people out: no cap, a high bid.
    DemoPlan(
        "Guide taken, asked every day",
        "starter_kit_order",
        ("Took the guide, may be written to",),
        (("Bees like an early start", "It ships until the first frost.", "Order it", "/starter-hive"),),
        Decimal(24),
        Decimal("18.00"),
        0,
        60,
    ),
    # It does not spend: others bid more.
    DemoPlan(
        "New keepers around Alderwick",
        "guide_lead",
        (),
        (
            (
                "Your first season, free",
                "What a beginner does, month by month.",
                "Read it",
                "/first-season-guide",
            ),
        ),
        Decimal(30),
        Decimal("0.20"),
        2,
        20,
        ("Took the guide, may be written to",),
        {"town": "Alderwick", "km": 30.0, "interests": ["gardening", "farm animals"]},
    ),
]


def rules_of(forms_origin: str) -> list[DemoRule]:
    """The demo's conversions; the booking form's frame comes from `forms_origin`."""
    booked = [
        {"message": {"origin": origin, "at": "event", "value": "booking.done"}}
        for origin in (FORMS_ORIGIN, forms_origin)
    ]
    thanked = {
        "all": [{"shown": {"selector": "#letter-thanks"}}, {"on": {"match": "equals", "value": "/contact"}}]
    }
    return [
        DemoRule(
            "starter_kit_order",
            "purchase",
            _reached("/order/thank-you"),
            "visit",
            Decimal(59),
            lifetime_factor=Decimal("1.6"),
        ),
        DemoRule("guide_lead", "lead", _reached("/guide/thank-you"), "visitor", Decimal(4)),
        DemoRule("workshop_booking", "booking", {"any": booked}, "visit", Decimal(35)),
        DemoRule(
            "contact_request",
            "lead",
            {"form": {"id": "contact"}},
            "visit",
            Decimal(6),
            steps=(
                "open /contact\nclick #contact button\nfill #letter-mail ada@meadow.example\n"
                "click #letter button\nopen /contact\nfill #contact-name Ada\n"
                "fill #contact-mail ada@meadow.example\nclick #contact button\n"
            ),
        ),
        DemoRule("letter_signup", "signup", thanked, "visitor", Decimal(1)),
        DemoRule(
            "kit_configured",
            "other",
            {
                "event": {
                    "name": "kit_configured",
                    "where": [{"property": "frames", "comparison": "at_least", "value": 10}],
                }
            },
            "visit",
            None,
        ),
        DemoRule("partner_visit", "other", {"step": {"link": BRIDGE}}, "visit", None),
        DemoRule("partner_sale", "purchase", {"sale": {"link": BRIDGE}}, "every", None, "value"),
        DemoRule("contact_qualified", "lead", {"outcome": {"stage": "qualified"}}, "every", None),
        DemoRule("contact_sold", "purchase", {"outcome": {"stage": "sold"}}, "every", None, "value"),
        DemoRule("phone_call", "lead", {"click": {"what": "phone"}}, "visit", Decimal(8)),
    ]


@dataclass(frozen=True, slots=True)
class Stream:
    """Visits of one kind: how many of all, where they land, and how well they convert."""

    share: float
    query: str
    referrer: str
    landings: dict[str, int]
    quality: float = 1.0
    phones: float = 0.5
    # Paid streams: cost of one click, and how often an ad is shown for one.
    click_cost: float = 0.0
    shown_per_click: int = 0


def _ad(source: str, campaign: str, group: str, ad: str, medium: str = "cpc") -> str:
    return (
        f"utm_source={source}&utm_medium={medium}&utm_campaign={campaign}&utm_term={group}&utm_content={ad}"
    )


MEADOW, LANTERN, POST = "meadow-feed", "lantern-ads", "hivepost"
# How the first of them counts orders for itself, and what it takes one to be worth.
MEADOW_WINDOW_DAYS, ORDER_VALUE, ORDER = 28, 59, "starter_kit_order"
# What a month may cost, by source; "" is all of it.
BUDGETS = {"": 14_500, MEADOW: 7_000}
STREAMS = [
    Stream(
        0.15,
        _ad(MEADOW, "starter-autumn", "garden-owners", "smoke-and-honey"),
        "https://meadowgram.example/",
        {"/starter-hive": 1},
        0.85,
        0.8,
        0.92,
        90,
    ),
    Stream(
        0.10,
        _ad(MEADOW, "starter-autumn", "keen-gardeners", "one-hive-one-year"),
        "https://meadowgram.example/",
        {"/starter-hive": 1},
        1.05,
        0.75,
        1.04,
        80,
    ),
    Stream(
        0.12,
        _ad(MEADOW, "guide-leads", "curious", "first-season"),
        "https://meadowgram.example/",
        {"/first-season-guide": 1},
        1.0,
        0.8,
        0.41,
        70,
    ),
    Stream(
        0.09,
        _ad(LANTERN, "kit-search", "beekeeping-kit", "exact"),
        "https://lantern-search.example/",
        {"/starter-hive": 1},
        1.35,
        0.45,
        1.38,
        14,
    ),
    Stream(
        0.05,
        _ad(LANTERN, "kit-search", "winter-bees", "winter-kit"),
        "https://lantern-search.example/",
        {"/winter-kit": 1},
        0.9,
        0.5,
        1.15,
        18,
    ),
    Stream(
        0.07,
        _ad(LANTERN, "workshop-search", "bee-course", "near-you"),
        "https://lantern-search.example/",
        {"/workshops": 1},
        1.1,
        0.5,
        0.88,
        16,
    ),
    Stream(
        0.03,
        _ad(POST, "suit-banner", "gear-letters", "veil"),
        "https://hivepost.example/",
        {"/suits": 1},
        0.8,
        0.35,
        0.55,
        160,
    ),
    Stream(
        0.03,
        _ad(POST, "kit-banner", "gear-letters", "build-it"),
        "https://hivepost.example/",
        {"/configure": 3, "/starter-hive": 1},
        1.0,
        0.35,
        0.60,
        140,
    ),
    Stream(
        0.13,
        "",
        "https://lantern-search.example/",
        {
            "/": 4,
            "/first-season-guide": 3,
            "/workshops": 3,
            "/starter-hive": 3,
            "/journal/first-swarm": 3,
            "/journal/thank-you-to-our-keepers": 2,
            "/queen-rearing": 1,
        },
        1.0,
        0.5,
    ),
    Stream(
        0.10,
        "",
        "",
        {"/": 5, "/starter-hive": 2, "/workshops": 2, "/configure": 2, "/gift-card": 1, "/contact": 1},
        1.2,
        0.4,
    ),
    Stream(
        0.05,
        "utm_source=letter&utm_medium=email&utm_campaign=monthly",
        "",
        {"/workshops": 3, "/starter-hive": 2, "/journal/thank-you-to-our-keepers": 2, "/gift-card": 1},
        1.7,
        0.55,
    ),
    Stream(
        0.04,
        "",
        "https://meadowgram.example/post/",
        {"/journal/first-swarm": 3, "/": 1, "/starter-hive": 1},
        0.7,
        0.85,
    ),
    Stream(
        0.04,
        "",
        "https://keepers-forum.example/thread/",
        {"/starter-hive": 2, "/suits": 2, "/configure": 2, "/queen-rearing": 1},
        1.3,
        0.35,
    ),
]


@dataclass(frozen=True, slots=True)
class DemoTest:
    """A split test. `lost` is the share of the challenger's visitors that never arrive there.

    With `changes` it is of what stands on the control page, and there is no other.
    """

    name: str
    key: str
    rule: str
    control: str
    challenger: str
    baseline: float
    lift: float
    began_days_ago: int
    ended_days_ago: int | None = None
    lost: float = 0.0
    # Of the one challenger, or of several.
    changes: tuple[dict[str, Any], ...] = ()
    more: tuple[tuple[dict[str, Any], ...], ...] = ()
    devices: tuple[Device, ...] = ()
    measures: tuple[dict[str, Any], ...] = ()
    # Of those who see the first challenger: who reaches `goal` besides, and who leaves at once.
    goal: str = ""
    gain: float = 0.0
    flight: float = 0.0
    paused_days_ago: int | None = None
    adopted: str = ""
    shown: bool = False
    draft: bool = False
    notes: str = ""
    # The audience that it is for, of who comes to its page on their way; and who of them is held out, in per cent.
    audience: str = ""
    held_out: int = 0
    # Who reaches `goal` besides, whatever they are shown.
    usual: float = 0.0

    @property
    def shares(self) -> list[int]:
        """Of A and the others, in per cent."""
        return [34, 33, 33] if self.more else [50, 50]


TESTS = [
    DemoTest(
        "Starter page, shorter story",
        "51a7e001",
        "starter_kit_order",
        "/starter-hive",
        "/starter-hive-b",
        0.040,
        0.3,
        38,
    ),
    DemoTest(
        "Guide page, headline for beginners",
        "51a7e002",
        "guide_lead",
        "/first-season-guide",
        "/first-season-guide-b",
        0.19,
        0.22,
        85,
        15,
    ),
    DemoTest(
        "Workshop page, places near you",
        "51a7e003",
        "workshop_booking",
        "/workshops",
        "/workshops-b",
        0.05,
        0.25,
        30,
        None,
        0.34,
    ),
    DemoTest(
        "Build your kit, how long it takes",
        "51a7e004",
        "kit_configured",
        "/configure",
        "",
        0.10,
        0.3,
        16,
        changes=(
            {"words": {"selector": "h1", "text": "Build your kit in three minutes"}},
            {
                "block": {
                    "selector": "h1",
                    "place": "after",
                    "template": "notice",
                    "title": "No bee has ever waited for a perfect hive.",
                    "text": "Begin with the frames; all of it can be changed until it is sent.",
                }
            },
        ),
    ),
    DemoTest(
        "Suits page on phones, sizes first",
        "51a7e005",
        "starter_kit_order",
        "/suits",
        "",
        0.02,
        0.5,
        32,
        changes=({"words": {"selector": "h1", "text": "Your size in three questions"}},),
        devices=("phone",),
        goal="order",
        gain=0.14,
        notes="Phones only: on a desktop the size table stands beside the picture already.",
    ),
    DemoTest(
        "Home page, warning first",
        "51a7e006",
        "starter_kit_order",
        "/",
        "",
        0.02,
        0.6,
        24,
        changes=(
            {
                "block": {
                    "selector": "h1",
                    "place": "before",
                    "template": "banner",
                    "title": "One colony in three does not see the spring.",
                    "button": "Get it through the winter",
                    "to": "/winter-kit",
                }
            },
        ),
        measures=({"what": "bounce", "guard": True, "margin": 0.05},),
        goal="order",
        gain=0.09,
        flight=0.35,
        notes="Whoever stays is in a hurry to order. Many do not stay.",
    ),
    DemoTest(
        "Gift card, three ways to say it",
        "51a7e007",
        "starter_kit_order",
        "/gift-card",
        "",
        0.06,
        0.4,
        21,
        changes=({"words": {"selector": "h1", "text": "The gift that hums"}},),
        more=(({"words": {"selector": "h1", "text": "Give somebody their first hive"}},),),
        paused_days_ago=4,
        notes="Resting while the cards are printed anew.",
    ),
    DemoTest(
        "First swarm story, guide at its end",
        "51a7e008",
        "guide_lead",
        "/journal/first-swarm",
        "",
        0.04,
        0.5,
        70,
        28,
        changes=(
            {
                "block": {
                    "selector": "h1",
                    "place": "after",
                    "template": "panel",
                    "title": "Your first season, week by week",
                    "button": "Get the guide",
                    "to": "/first-season-guide",
                }
            },
        ),
        goal="guide",
        gain=0.06,
        adopted="B",
        shown=True,
        notes="Readers of a story want the next step there, not in the menu.",
    ),
    DemoTest(
        "After the order, a first day in company",
        "51a7e010",
        "workshop_booking",
        "/order/thank-you",
        "",
        0.06,
        0.8,
        45,
        changes=(
            {
                "block": {
                    "selector": "h1",
                    "place": "after",
                    "template": "panel",
                    "title": "The first day with bees need not be spent alone",
                    "text": "Bring your kit to a workshop, and go home with a colony that is settled.",
                    "button": "Find a day near you",
                    "to": "/workshops",
                }
            },
        ),
        goal="booking",
        gain=0.11,
        usual=0.06,
        audience="Ordered a starter kit",
        held_out=10,
        notes="Only once the order is made: nobody is led away from one.",
    ),
    DemoTest(
        "Suits page, price beside the picture",
        "51a7e009",
        "starter_kit_order",
        "/suits",
        "",
        0.02,
        0.5,
        0,
        changes=({"style": {"selector": "h1", "property": "font-size", "value": "44px"}},),
        draft=True,
    ),
]

PEOPLE = [
    ("Ines Okafor-Lund", "ines@brackenhive.example", "owner"),
    ("Tomasz Reed", "tomasz@brackenhive.example", "editor"),
    ("Vera Quist", "vera@brackenhive.example", "viewer"),
]
PASSWORD = "queen-and-drones"

# Saved views: name, place, and the words of its address.
VIEWS: list[tuple[str, str, dict[str, Any]]] = [
    (
        "Ads by return",
        "pages",
        {
            "origin": "channel:paid",
            "compare": "before",
            "sort": "-roas",
            "columns": "entries,conversion_rate,spend,roas,profit",
        },
    ),
    ("Campaigns", "sources", {"by": "campaign", "at": ["channel:paid"]}),
]
# Notes on days: how many days ago, and what.
NOTES = [(9, "New photographs on the starter kit’s page"), (34, "Keepers’ fair in the county, stand 12")]
# A column of its own: name, what over what, and under which number it is marked.
COLUMNS = [("Arrived per click", "entries", "clicks", "under", "0.95")]
# Pages that looked otherwise until so many days ago: the path whose drawing it had, and words now and then.
REWRITTEN: dict[str, tuple[int, str, dict[str, str]]] = {
    "/starter-hive": (9, "/gift-card", {"Order the starter kit": "Order"}),
    "/workshops": (31, "/workshops", {"Hands-on workshops</h1>": "Workshops</h1>"}),
}
