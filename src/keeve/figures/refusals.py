"""A refusal as its reader is told it: the fields by their labels, the figures in the reader's units, no inner name."""

import re
from collections.abc import Mapping

from keeve.core.errors import InputError
from keeve.core.quantities import in_reader_units
from keeve.core.units import System
from keeve.figures.labels import label, value_words

# A value or a path as errors name it; or the first word of a sentence, which may be a field of one plain word.
_NAMED = re.compile(
    r"'(?P<value>[a-z0-9]+(?:_[a-z0-9]+)+)'"
    r"|(?P<path>\b[a-z][a-z0-9]*(?:[._][a-z0-9]+)+)"
    r"|(?:^|(?<=\. ))(?P<first>[a-z]+)\b"
)


def in_readers_words(fault: InputError, labels: Mapping[str, str], units: System) -> str:
    """The sentence of a refusal in the words of a form.

    Args:
        fault: the refusal, which names fields by their paths.
        labels: the label of every field of the form, by path.
        units: the reader's.
    """
    by_last = {path.rpartition(".")[2]: words for path, words in reversed(list(labels.items()))}

    def words(found: re.Match[str]) -> str:
        if value := found["value"]:
            return value_words(value)
        path = found["path"] or found["first"]
        last = path.rpartition(".")[2]
        if known := labels.get(path) or by_last.get(last):
            return known
        if "_" not in path:
            return found[0]
        plain = label(last).words
        return plain if found.start() == 0 else plain[:1].lower() + plain[1:]

    return in_reader_units(_NAMED.sub(words, fault.message), units)


def fields_of(fault: InputError, labels: Mapping[str, str]) -> list[str]:
    """The fields of a form that a refusal belongs to; one of a list (the two ends of a slump) is its first entry's."""
    beside = (next((path for path in labels if f"{path}.".startswith(f"{at}.")), None) for at in fault.fields)
    return [path for path in beside if path is not None]
