"""Pages of a tagged PDF laid over others, which are stored once: what is drawn is shared, what is read out is not."""

import io
from collections.abc import Sequence
from typing import Any

from pypdf import PdfReader, PdfWriter
from pypdf.generic import (
    ArrayObject,
    DecodedStreamObject,
    DictionaryObject,
    FloatObject,
    NameObject,
    NumberObject,
    TextStringObject,
)

# What an element of the structure keeps as it is, on whatever page.
_KEPT = ("/Type", "/S", "/Alt")


def laid_over(sheets: bytes, under: Sequence[int], over: bytes) -> bytes:
    """The pages of a PDF, each with a page of another beneath it, both tagged.

    Read out, a page is first its own, then a copy of the structure of the page beneath it.

    Args:
        sheets: the pages that lie beneath, each once.
        under: of every page which of them lies beneath it, counted from 0.
        over: the pages.
    """
    below, found = PdfReader(io.BytesIO(sheets)), PdfWriter(clone_from=io.BytesIO(over))
    root: Any = found.root_object["/StructTreeRoot"]
    document, owners = root["/K"][0].get_object(), root["/ParentTree"].get_object()["/Nums"]
    catalog: Any = below.trailer["/Root"]
    said_below = catalog["/StructTreeRoot"]["/K"][0].get_object()["/K"]
    said_over, said = list(document["/K"]), ArrayObject()
    begin, end = (found._add_object(_stream(text)) for text in (b"q\n", b"\nQ\nq /Over Do Q"))
    for number, (page, sheet) in enumerate(zip(found.pages, under, strict=True)):
        beneath: Any = below.pages[sheet]
        reference = page.indirect_reference
        own = _own(page, number, found)
        resources = DictionaryObject(beneath["/Resources"].clone(found))
        pictures = DictionaryObject(resources.get("/XObject", DictionaryObject()).get_object())
        pictures[NameObject("/Over")] = own
        resources[NameObject("/XObject")] = pictures
        page[NameObject("/Resources")] = resources
        page[NameObject("/Contents")] = ArrayObject([begin, beneath.raw_get("/Contents").clone(found), end])
        page[NameObject("/StructParents")] = NumberObject(len(under) + number)
        for mine in said_over:
            if mine.get_object().raw_get("/Pg") == reference:
                _move(mine.get_object(), reference, own)
                said.append(mine)
        copy = _Copy(found, reference, number)
        for shared in said_below:
            element = shared.get_object()
            if element.raw_get("/Pg") == beneath.indirect_reference:
                said.append(copy.of(element, document.indirect_reference))
        owners.extend(
            [
                NumberObject(len(under) + number),
                ArrayObject(copy.owners[part] for part in sorted(copy.owners)),
            ]
        )
    document[NameObject("/K")] = said
    written = io.BytesIO()
    found.write(written)
    return written.getvalue()


def _stream(text: bytes) -> Any:
    made = DecodedStreamObject()
    made.set_data(text)
    return made


def _own(page: Any, number: int, found: PdfWriter) -> Any:
    """Put a page's own into a picture that is laid on it: the names in it are then nobody else's."""
    contents = page.get_contents()
    own = _stream(b"" if contents is None else contents.get_data()).flate_encode()
    own[NameObject("/Type")], own[NameObject("/Subtype")] = NameObject("/XObject"), NameObject("/Form")
    own[NameObject("/BBox")] = ArrayObject(FloatObject(side) for side in page.mediabox)
    own[NameObject("/Resources")] = page.raw_get("/Resources")
    # The tree of owners has the page's parts under this number already.
    own[NameObject("/StructParents")] = NumberObject(number)
    return found._add_object(own)


def _move(element: Any, page: Any, own: Any) -> None:
    """Say of an element, and of all in it, that what it holds of the page lies in a stream of its own now."""
    for index, kid in enumerate(element["/K"]):
        part = kid.get_object()
        if not isinstance(part, int):
            _move(part, page, own)
            continue
        where = {"/Type": NameObject("/MCR"), "/Pg": page, "/Stm": own, "/MCID": NumberObject(part)}
        element["/K"][index] = DictionaryObject({NameObject(key): value for key, value in where.items()})


class _Copy:
    """Copies elements of a structure to another page; ``owners``: which of them has each part of the page."""

    def __init__(self, found: PdfWriter, page: Any, number: int) -> None:
        self._found, self._page, self._number = found, page, number
        self.owners: dict[int, Any] = {}

    def of(self, element: Any, parent: Any) -> Any:
        """An element with all it holds."""
        kept: Any = DictionaryObject({NameObject(key): element[key] for key in _KEPT if key in element})
        kept[NameObject("/P")], kept[NameObject("/Pg")] = parent, self._page
        # Heads of a table are told apart over the whole document.
        if "/ID" in element:
            kept[NameObject("/ID")] = self._renamed(element["/ID"])
        if "/A" in element:
            given = element["/A"].get_object()
            kept[NameObject("/A")] = DictionaryObject(
                {NameObject(key): value for key, value in given.items()}
            )
            if "/Headers" in given:
                kept["/A"][NameObject("/Headers")] = ArrayObject(map(self._renamed, given["/Headers"]))
        if element["/S"] == "/TH":
            kept["/A"][NameObject("/Scope")] = NameObject("/Column")
        reference, inside = self._found._add_object(kept), ArrayObject()
        for kid in element["/K"]:
            part = kid.get_object()
            if isinstance(part, int):
                self.owners[part] = reference
                inside.append(NumberObject(part))
            else:
                inside.append(self.of(part, reference))
        kept[NameObject("/K")] = inside
        return reference

    def _renamed(self, head: str) -> TextStringObject:
        return TextStringObject(f"{self._number}-{head}")
