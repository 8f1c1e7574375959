"""Which field a spend file's column heading names, by the trade's words and how headings are put together.

A heading is split into words, compounds into their parts ("Anzeigengruppenname"), and each word stands for a notion in any
of six languages. What the notions together name is decided by rules, so that order, case, plural and punctuation do not
matter; a word that nobody knows, or one of a rate ("per", "average"), makes the heading name nothing.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterable, Sequence
from functools import lru_cache
from typing import Literal, get_args

Field = Literal[
    "day",
    "source",
    "campaign",
    "ad_group",
    "ad",
    "landing",
    "impressions",
    "clicks",
    "cost",
    "conversions",
    "value",
    "view_conversions",
]
FIELDS: tuple[Field, ...] = get_args(Field)

# Notion: its words in English, German, French, Spanish, Italian and Dutch, without accents and endings of the plural.
_WORDS: dict[str, str] = {
    "day": "day daily date tag datum jour fecha dia giorno data dag",
    "start": "start starts begin begins from beginn anfang ab debut inicio inizio",
    "end": "end ends until ende bis fin fine final einde",
    "report": "report reporting period bericht zeitraum rapport informe periodo periode rapporto verslag",
    "campaign": "campaign kampagne campagne campana campagna",
    "group": "group set gruppe satz groupe ensemble grupo conjunto gruppo groep",
    "ad": "ad advert creative anzeige annonce publicite anuncio annuncio annunci inserzione inserzioni advertentie",
    "name": "name nom nombre nome naam title titel",
    "id": "id number nummer",
    "cost": "cost spend spent expense kosten ausgaben cout depense coste costo gasto spesa uitgave",
    "invested": "investment inversion",
    "amount": "amount betrag montant importe importo bedrag",
    "paid": "ausgegeben ausgegebener ausgegebene depensee gastado speso besteed besteede uitgegeven",
    "advertising": "media marketing werbe werbung publicitaire publicitario publicitaria pubblicitaria",
    "impression": "impression impr impressionen impresion impresione impressioni einblendung vertoning shown",
    "view": "view affichage visualizzazione visualizzazioni visualizacion visualizacione weergave weergaven",
    "click": "click klick clic clique klik klikken",
    "link": "link lien enlace outbound",
    "through": "through thru post",
    "conversion": "conversion conv result outcome order sale lead purchase konversion conversione conversioni ergebnis ergebnisse"
    " bestellung kauf kaeufe resultat achat commande resultado pedido compra risultato risultati acquisto acquisti ordine ordini"
    " conversie resultaat resultaten aankoop aankopen bestelling",
    "value": "value wert valeur valor valore waarde",
    "revenue": "revenue turnover income umsatz erloes chiffre ingreso ricavo ricavi omzet inkomsten",
    "business": "affaire",
    "landing": "landing destination ziel destino destinazione bestemming",
    "page": "page seite pagina",
    "address": "url address adresse web website site direccion indirizzo adres",
    "last": "final",
    "source": "source channel platform network publisher quelle kanal plattform fuente fonte bron kanaal",
    "tagged": "utm",
    "medium": "medium",
    "term": "term",
    "content": "content",
    # What makes another number of it.
    "rate": "per pro par por avg average durchschn durchschnittlich moyen moyenne medio media rate quote rata taux tasa tasso"
    " share anteil ctr cpc cpm cpa roas percent prozent",
    # What says nothing that matters.
    "": "total all unique net gross sum gesamt brutto netto times of the in on to de du des le la les l d un una une sur el los las en"
    " della dell delle del di il sul su lo i gli van het auf der die das von und et y e met op time utc local lokal eur usd gbp chf",
}
# Such words have two meanings, which the notions beside them tell apart.
_ALSO: dict[str, str] = {"media": "advertising", "final": "last"}
_ENDINGS = ("s", "n", "en", "e", "es", "x")
# "Konversionswert", "Zielseiten-URL": German and Dutch write together what others write apart.
_LINKS = ("", "s", "n", "en", "es", "e")
# "campaignName": words of a file that a program made.
_CAMEL = re.compile(r"(?<=[a-z])(?=[A-Z])")
_PER = re.compile(r"\s/\s|%")


def _notions_by_word() -> dict[str, str]:
    return {word: notion for notion, words in _WORDS.items() for word in words.split()}


_NOTIONS = _notions_by_word()
_LONGEST_FIRST = sorted((w for w in _NOTIONS if len(w) > 2 or w in ("ad", "id")), key=len, reverse=True)


def _words(heading: str) -> list[str]:
    text = _PER.sub(" per ", heading.replace("ß", "ss"))
    text = _CAMEL.sub(" ", text) if not text.isupper() else text
    plain = unicodedata.normalize("NFKD", text.lower())
    plain = "".join(c for c in plain if not unicodedata.combining(c))
    return re.findall(r"[^\W\d_]+", plain)


@lru_cache(maxsize=10_000)
def _parts(word: str) -> tuple[str, ...] | None:
    """The words known of which it is made, or None."""
    if word in _NOTIONS:
        return (word,)
    for ending in _ENDINGS:
        if word.endswith(ending) and word.removesuffix(ending) in _NOTIONS:
            return (word.removesuffix(ending),)
    for first in (w for w in _LONGEST_FIRST if word.startswith(w)):
        for link in _LINKS:
            rest = word[len(first) :]
            if rest.startswith(link) and len(rest) > len(link) and (parts := _parts(rest[len(link) :])):
                return (first, *parts)
    return None


def _notions(heading: str) -> tuple[frozenset[str], bool]:
    """What the heading's words stand for, and whether all of them are known."""
    parts = [_parts(word) for word in _words(heading)]
    words = [w for several in parts if several for w in several]
    found = {_NOTIONS[w] for w in words}
    for word in words:
        # "Media cost" is money; "media" elsewhere is Italian for an average.
        if word in _ALSO and found & {"cost", "address", "page"}:
            if all(w == word for w in words if _NOTIONS[w] == _NOTIONS[word]):
                found.discard(_NOTIONS[word])
            found.add(_ALSO[word])
    return frozenset(found - {""}), all(parts)


_DAY_WITH = {"report", "start"}
_NAMED = {"name", "id"}


def _named(notions: frozenset[str]) -> tuple[Field, int] | None:
    """The field, and how good the heading is for it (0 is best)."""
    rank = 1 if "id" in notions else 0
    rest = notions - _NAMED
    if "tagged" in rest:
        by_tag: dict[str, Field] = {
            "source": "source",
            "campaign": "campaign",
            "term": "ad_group",
            "content": "ad",
        }
        names = rest - {"tagged"}
        return next(((by_tag[n], 2) for n in names if n in by_tag and len(names) == 1), None)
    exact: dict[frozenset[str], Field] = {
        frozenset({"campaign"}): "campaign",
        frozenset({"ad", "group"}): "ad_group",
        frozenset({"group"}): "ad_group",
        frozenset({"ad"}): "ad",
        frozenset({"source"}): "source",
    }
    if found := exact.get(rest):
        return found, rank
    if notions & _NAMED:
        return None
    if rest and rest <= {"day", *_DAY_WITH} and "end" not in rest:
        # "Reporting starts" and "Day" are days; "Report" alone and "From" alone are not.
        if "day" in rest or rest == _DAY_WITH:
            return "day", len(rest) - 1
        return None
    if rest <= {"landing", "page", "address", "last", "link", "ad"} and rest & {"landing", "address"}:
        return "landing", 0 if "landing" in rest else 1
    return _measured(rest)


def _measured(rest: frozenset[str]) -> tuple[Field, int] | None:
    if "conversion" in rest or "revenue" in rest:
        sites = rest - {"address"}
        if sites == {"conversion", "view", "through"}:
            return "view_conversions", 0
        if sites in ({"conversion"}, {"conversion", "click"}):
            return "conversions", 0 if sites == {"conversion"} else 1
        if sites <= {"conversion", "value", "revenue", "business"} and sites & {"value", "revenue"}:
            return "value", 0
        return None
    simple: tuple[tuple[Field, set[str], set[str]], ...] = (
        ("cost", {"cost", "invested", "paid", "amount"}, {"ad", "advertising", "campaign"}),
        ("clicks", {"click"}, {"link", "address", "ad"}),
        ("impressions", {"impression"}, {"ad", "id"}),
        ("impressions", {"view"}, {"ad"}),
        ("value", {"value"}, set()),
        ("view_conversions", {"view", "through"}, set()),
    )
    for field, wanted, beside in simple:
        if rest & wanted and rest <= wanted | beside:
            # Of clicks those that lead to a page are asked for.
            better = rest & (
                {"link"} if field == "clicks" else {"cost", "paid", "invested", "impression", "value"}
            )
            return field, 0 if better or field == "view_conversions" else 1
    return None


def ranked_field(heading: str) -> tuple[Field, int] | None:
    """The field that a column's heading names, and how well (0 is best); None where it names none.

    >>> ranked_field("Amount spent (EUR)"), ranked_field("Cost per result"), ranked_field("Anzeigengruppenname")
    (('cost', 0), None, ('ad_group', 0))
    """
    notions, known = _notions(heading)
    if not notions or not known or "rate" in notions:
        return None
    if notions >= {"impression", "id"}:
        # "Number of impressions".
        notions -= {"id"}
    return _named(notions)


def fields_of(headings: Sequence[str]) -> dict[Field, int]:
    """The column of each field that a heading names: the best, and of those the first."""
    found: dict[Field, tuple[int, int]] = {}
    for place, field, rank in _ranked(headings):
        found[field] = min(found.get(field, (rank, place)), (rank, place))
    return {field: place for field, (_, place) in found.items()}


def _ranked(headings: Sequence[str]) -> Iterable[tuple[int, Field, int]]:
    for place, heading in enumerate(headings):
        if named := ranked_field(heading):
            yield place, *named
