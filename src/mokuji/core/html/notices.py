"""Notices: a paragraph, or a quotation, that begins with a signal word in bold.

The grades are the four of ANSI Z535.6 (danger, warning, caution, notice) and
four of DITA's note types (note, tip, important, attention). English words hold
everywhere; those of another language where the volume says that it is written
in it. The words of the other languages are written down from memory, as manuals
in them commonly have them.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from types import MappingProxyType
from typing import Any

from mokuji.core.syntax.parser import tag_name

GRADES = ("danger", "warning", "caution", "notice", "note", "tip", "important", "attention")
"""What a notice can be, the four of safety first."""
_BY_LANGUAGE: dict[str, Sequence[str]] = {
    # In the order of the grades; several words of one grade have a stroke between, - is none.
    "cs": "nebezpečí varování|výstraha upozornění oznámení poznámka tip|rada důležité pozor".split(),
    "da": "fare advarsel forsigtig bemærk|obs note|bemærkning tip|råd vigtigt|vigtig -".split(),
    "de": "gefahr warnung vorsicht hinweis anmerkung tipp wichtig achtung".split(),
    "es": "peligro advertencia precaución aviso nota consejo|sugerencia importante atención".split(),
    "fi": "vaara varoitus varo ilmoitus huomautus|huom vihje tärkeää huomio".split(),
    "fr": "danger avertissement attention avis remarque|note conseil|astuce important -".split(),
    "it": "pericolo avvertenza attenzione avviso nota suggerimento|consiglio importante -".split(),
    "ja": "危険 警告 注意 通知 注記|注|メモ ヒント 重要 -".split(),
    "nb": "fare advarsel forsiktig|forsiktighet merk merknad tips viktig obs".split(),
    "nl": "gevaar waarschuwing voorzichtig kennisgeving opmerking tip belangrijk attentie".split(),
    "pl": "niebezpieczeństwo ostrzeżenie przestroga notyfikacja|powiadomienie notatka wskazówka ważne uwaga".split(),
    "pt": "perigo aviso|advertência cuidado informação nota|observação dica|sugestão importante atenção".split(),
    "sv": "fara varning försiktighet obs|observera anmärkning tips viktigt -".split(),
    "zh": "危险|危險 警告 小心 通知 注|说明|說明 提示 重要 注意".split(),
}
SIGNALS: Mapping[str, Mapping[str, str]] = MappingProxyType(
    {
        language: MappingProxyType(
            {
                word: grade
                for grade, told in zip(GRADES, row, strict=True)
                for word in told.split("|")
                if word != "-"
            }
        )
        for language, row in {**_BY_LANGUAGE, "en": GRADES}.items()
    }
)
"""The grade of each signal word, folded, by the language's primary subtag."""
_ANY = frozenset(word for words in SIGNALS.values() for word in words)
_SIGNAL = re.compile(r"\s*([^\s:.!–—]{1,24})\s*[:.!–—：]?\s*")


def word_of(bold: str) -> str | None:
    """The signal word, folded, of what stands in bold; None if it is none in any language."""
    match = _SIGNAL.fullmatch(bold)
    return match[1].casefold() if match is not None and match[1].casefold() in _ANY else None


def grade(word: str, language: str) -> str | None:
    """What a signal word says in a volume of a language (a tag of BCP 47, empty if it is not said)."""
    primary = language.partition("-")[0].lower()
    primary = "nb" if primary in {"nn", "no"} else primary
    return SIGNALS.get(primary, {}).get(word) or SIGNALS["en"].get(word)


def notices(events: Sequence[Any]) -> dict[int, str]:
    """The signal words of a text by the index of the event that opens the paragraph, or the quotation if its first
    paragraph has one. Linear."""
    found: dict[int, str] = {}
    for index, event in enumerate(events[:-3]):
        if (
            isinstance(event, str)
            or event.get("Start") != "Paragraph"
            or events[index + 1] != {"Start": "Strong"}
        ):
            continue
        bold, closing = events[index + 2], events[index + 3]
        if isinstance(bold, str) or "Text" not in bold or isinstance(closing, str) or "End" not in closing:
            continue
        word = word_of(bold["Text"])
        if word is not None:
            before = events[index - 1] if index else ""
            quoted = (
                not isinstance(before, str)
                and "Start" in before
                and tag_name(before["Start"]) == "BlockQuote"
            )
            found[index - quoted] = word
    return found
