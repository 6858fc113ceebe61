"""How Keeve speaks: no word that is never right on a screen, and everything spelt as a dictionary has it."""

import re
import subprocess
from pathlib import Path

import pytest
from user_texts import ROOT, UserText, user_texts

# Words and turns that are never right on a screen.
NEVER = (
    "afresh", "anew", "lately", "besides", r"mend(?:s|ed|ing)?", "whoever", "no more", "no further", "any more", "told",
    "(?:is|are) kept", "taken? back", "puts? right", "str(?:ike|uck) out", "set clock", "by its label",
    "br(?:ing|ought) in", "forced-action", "held against", "as told", "lets go", "bag mouth", "in doubt", "can hardly",
    "chance alone", "may be expected", "made up", "dried pan", "reckon", "so much", "comes to", "look again",
    "practice decides?",
)  # fmt: skip
_NEVER = re.compile(rf"\b(?:{'|'.join(NEVER)})\b", re.IGNORECASE)
# The glossary says what was said before; its first column is the code's.
_SAYS_THE_OLD = frozenset({"docs/glossary.md"})

TEXTS = list(user_texts())


def test_there_are_texts_of_every_kind() -> None:
    kinds = {Path(text.file).suffix for text in TEXTS}
    assert kinds == {".html", ".py", ".js", ".yaml", ".md"}
    assert len(TEXTS) > 4000


def test_no_text_has_a_word_that_is_never_right() -> None:
    found = [text for text in TEXTS if text.file not in _SAYS_THE_OLD and _NEVER.search(text.text)]
    assert found == []


@pytest.mark.parametrize("word", ["Start it afresh", "as told until", "Nothing is kept", "The set clock"])
def test_the_check_sees_them(word: str) -> None:
    assert _NEVER.search(word)


# What is code in a text: names with underscores, what stands in braces, addresses.
_CODE = re.compile(r"\{[^}]*\}|\b\w*_\w*\b|\b\w+\.\w+\b|&\w+;")
_WORD = re.compile(r"[A-Za-z][A-Za-z'’]+")


def test_every_text_is_spelt_as_in_the_dictionary() -> None:
    """British spelling by Hunspell; the glossary's words and a short list of names are our own."""
    words: dict[str, UserText] = {}
    for text in TEXTS:
        for word in _WORD.findall(_CODE.sub(" ", text.text)):
            words.setdefault(re.sub("['’]s$", "", word), text)
    own = set(_WORD.findall((ROOT / "docs" / "glossary.md").read_text("utf-8")))
    own |= set((Path(__file__).parent / "own_words.txt").read_text("utf-8").split())
    unknown = subprocess.run(
        ["hunspell", "-d", "en_GB", "-l"], input="\n".join(words), text=True, capture_output=True, check=True
    ).stdout.split()
    assert {word: words[word] for word in set(unknown) - own if word in words} == {}
