"""The stages that a lead or an order goes through, and what each does to what it was worth (definitions: "Outcome")."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from decimal import Decimal
from typing import Literal, get_args

Effect = Literal["reached", "refund", "cancel"]
EFFECTS: tuple[Effect, ...] = get_args(Effect)
MOST_STAGES = 20

# Of the usual stages, words that files write for them, in small letters without accents: English, German, French, Spanish,
# Italian and Dutch.
_WORDS: dict[str, str] = {
    "qualified": "qualified qualifiziert qualifie cualificado qualificato gekwalificeerd accepted angenommen accepte aceptado"
    " accettato geaccepteerd",
    "sold": "sold won closed paid verkauft gewonnen abgeschlossen bezahlt vendu gagne paye vendido ganado pagado venduto vinto"
    " pagato verkocht betaald",
    "lost": "lost rejected declined unqualified verloren abgelehnt perdu refuse perdido rechazado perso rifiutato afgewezen",
    "refunded": "refunded refund returned erstattet retour zurueckgegeben rembourse remboursement reembolsado devuelto rimborsato"
    " reso terugbetaald",
    "cancelled": "cancelled canceled void duplicate fake storniert annulliert annule cancelado anulado annullato geannuleerd",
}
# As they are written where there are none.
_UMLAUTS = str.maketrans({"ä": "ae", "ö": "oe", "ü": "ue"})
_STAGE_OF = {word: stage for stage, words in _WORDS.items() for word in words.split()}


@dataclass(frozen=True, slots=True)
class Stage:
    """One of a site's stages. `key` stays as it is when the name changes.

    reached: something that is counted; refund: takes value back, all of it where no amount is given; cancel: the lead or
    order does not count at all.
    """

    key: str
    name: str
    effect: Effect


def plain(text: str) -> str:
    """The text in small letters, without accents and with single spaces between its words.

    >>> plain("  Closed – WON "), plain("Qualifié")
    ('closed won', 'qualifie')
    """
    parts = unicodedata.normalize("NFKD", text.casefold().translate(_UMLAUTS))
    parts = "".join(c for c in parts if not unicodedata.combining(c))
    return " ".join(re.findall(r"\w+", parts))


def key_of(name: str) -> str:
    """A key for a stage of that name; empty where the name has no letter or digit.

    >>> key_of("Offer sent!")
    'offer_sent'
    """
    return plain(name).replace(" ", "_")[:40]


def stage_meant(text: str, stages: Iterable[Stage]) -> Stage | None:
    """The stage that a file means by a text: by name or key, else by a usual word; None where that is not sure.

    >>> stages = [Stage("sold", "Sold", "reached"), Stage("lost", "Lost", "reached")]
    >>> [s and s.key for s in (stage_meant("Closed won", stages), stage_meant("closed lost", stages), stage_meant("new", stages))]
    ['sold', 'lost', None]
    """
    said = plain(text)
    known = list(stages)
    for stage in known:
        if said and said in (plain(stage.name), stage.key.replace("_", " ")):
            return stage
    meant = {_STAGE_OF[word] for word in said.split() if word in _STAGE_OF}
    if len(meant) > 1:
        # "Closed lost", "paid and refunded": the later word says how it ended.
        meant -= {"sold"}
    # "Not qualified" and the like mean the opposite.
    if len(meant) != 1 or {"not", "nicht", "pas", "no", "non", "niet", "un"} & set(said.split()):
        return None
    return next((s for s in known if s.key in meant), None)


@dataclass(frozen=True, slots=True)
class TakenBack:
    """What was taken back of a lead or an order: all of it, or an amount; `cancelled`: it does not count."""

    amount: Decimal = Decimal(0)
    whole: bool = False
    cancelled: bool = False

    def __add__(self, other: TakenBack) -> TakenBack:
        return TakenBack(
            self.amount + other.amount, self.whole or other.whole, self.cancelled or other.cancelled
        )

    def left(self, value: Decimal | None) -> Decimal | None:
        """What is left of a value, no less than nothing; None of what has none.

        >>> TakenBack(Decimal(20)).left(Decimal(59)), TakenBack(whole=True).left(Decimal(59))
        (Decimal('39'), Decimal('0'))
        """
        if value is None:
            return None
        return Decimal(0) if self.whole else max(Decimal(0), value - self.amount)


def taken_back(effect: str, properties: Mapping[str, object]) -> TakenBack:
    """What one outcome of this effect takes back, by its event's properties."""
    if effect == "cancel":
        return TakenBack(cancelled=True)
    if effect != "refund":
        return TakenBack()
    amount = properties.get("value")
    return TakenBack(whole=True) if amount is None else TakenBack(Decimal(str(amount)))
