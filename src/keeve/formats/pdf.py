"""Paper: a page of HTML as PDF, by WeasyPrint. Nothing is fetched but what the caller names."""

import io
import mimetypes
import os
import re
from collections.abc import Mapping, Sequence
from html import unescape
from pathlib import Path
from typing import Any, NamedTuple

import segno


class Page(NamedTuple):
    """A page: the number of the sheet it shows, from 0, and what is its own, as HTML by the spot where it goes."""

    sheet: int
    own: Mapping[str, str]


class Paper(NamedTuple):
    """A text to be put on paper. Pages that say the same are one sheet, laid out once; over it goes what is their own.

    Args:
        settings: the sheets as one text of HTML, in settings from loose to tight: the first in which each keeps to its
            page is taken, else the last. A sheet begins at an element with the id ``sheet-N``, and keeps room for what
            is a page's own at elements with the ids ``SPOT-N``. Of a strip for a roll the text says ``LENGTH-N`` where
            its length goes, and it ends at an element with the id ``end-N``.
        head: the HTML head of what goes over the sheets: title and styles, with ``LENGTH-N`` too.
        pages: the pages in order.
    """

    settings: Sequence[str]
    head: str
    pages: Sequence[Page]


# Longer than any strip, mm.
_TALL_MM = 4000.0
# Left blank below the end of each, where it is torn, mm.
_TAIL_MM = 10.0
_PX_A_MM = 96 / 25.4


def write_paper(paper: Paper, files: Path) -> bytes:
    """A paper as PDF.

    Args:
        paper: what is on it.
        files: the folder of the files it names, such as a font. Everything else is refused.
    """
    sheets = 1 + max(page.sheet for page in paper.pages)
    settings, head = _to_length(paper, sheets, files)
    document = None
    for html in settings:
        document = _rendered(html, files)
        if len(document.pages) <= sheets:
            break
    if document is None:
        raise ValueError("nothing to set")
    spots = {
        name: (number, place[1])
        for number, page in enumerate(document.pages)
        for name, place in page.anchors.items()
    }
    begins = [spots[f"sheet-{sheet}"][0] for sheet in range(sheets)] + [len(document.pages)]
    under: list[int] = []
    over = [head]
    for page in paper.pages:
        # A sheet that keeps to no page goes on over several; only the first has what is the page's own.
        for number in range(begins[page.sheet], begins[page.sheet + 1]):
            own = page.own if number == begins[page.sheet] else {}
            top = spots[f"sheet-{page.sheet}"][1]
            placed = (_placed(spots[f"{spot}-{page.sheet}"][1] - top, html) for spot, html in own.items())
            over.append(f'<section class="sheet-{page.sheet}">{"".join(placed)}</section>')
            under.append(number)
    pages = _rendered("".join(over), files)
    # A quarter of a second that only paper needs.
    from keeve.formats.tagged_pages import laid_over

    return laid_over(document.write_pdf(pdf_tags=True), under, pages.write_pdf(pdf_tags=True))


def write_text(html: str, files: Path) -> bytes:
    """A text as PDF, over as many pages as it needs; the same text always gives the same bytes.

    Args:
        html: the text.
        files: the folder of the files it names, such as a font. Everything else is refused.
    """
    # A font that is cut down to its used letters is dated otherwise.
    os.environ.setdefault("SOURCE_DATE_EPOCH", "0")
    written: bytes = _rendered(html, files).write_pdf(pdf_tags=True)
    return written


# A module of a code, wide enough for a phone at arm's length; finer than a screen shows it, so that it is still read
# from a picture of the card.
_MODULE_MM = 0.58
_DOTS_A_MODULE = 8
_CODE = re.compile(r'<i data-code="([^"]*)"></i>')


def _code(found: re.Match[str]) -> str:
    """A QR code as a picture: that is laid out in no time, where a drawing takes a tenth of a page's."""
    code = segno.make(unescape(found[1]), error="m")
    side_mm = code.symbol_size(border=2)[0] * _MODULE_MM
    picture = code.png_data_uri(scale=_DOTS_A_MODULE, border=2)
    words = f"Code to {found[1]}"
    return f'<img src="{picture}" alt="{words}" style="width: {side_mm:.1f}mm">'


def _placed(top_px: float, html: str) -> str:
    return f'<div style="position: absolute; left: 0; right: 0; top: {top_px:.2f}px">{html}</div>'


def _to_length(paper: Paper, sheets: int, files: Path) -> tuple[Sequence[str], str]:
    """The settings and the head with the length of each strip: as long as what is on it."""
    if "LENGTH-0" not in paper.head:
        return paper.settings, paper.head

    def cut(html: str, lengths_mm: Sequence[float]) -> str:
        for sheet, length_mm in reversed(list(enumerate(lengths_mm))):
            html = html.replace(f"LENGTH-{sheet}", f"{length_mm:.1f}mm")
        return html

    tall = _rendered(cut(paper.settings[0], [_TALL_MM] * sheets), files)
    ends = {name: place[1] for page in tall.pages for name, place in page.anchors.items()}
    lengths_mm = [ends[f"end-{sheet}"] / _PX_A_MM + _TAIL_MM for sheet in range(sheets)]
    return [cut(paper.settings[0], lengths_mm)], cut(paper.head, lengths_mm)


def _rendered(html: str, files: Path) -> Any:
    """A text laid out by WeasyPrint, with files of one folder and nothing else."""
    # Half a second that only paper needs.
    html = _CODE.sub(_code, html)
    from weasyprint import HTML
    from weasyprint.urls import URLFetcher, URLFetcherResponse

    class FolderFetcher(URLFetcher):  # type: ignore[misc]
        def fetch(self, url: str, headers: Any = None) -> URLFetcherResponse:
            if url.startswith("data:"):
                return super().fetch(url, headers)
            path = (files / url.removeprefix(_BASE)).resolve()
            if not url.startswith(_BASE) or not path.is_relative_to(files.resolve()):
                raise ValueError(f"{url} is not for paper")
            kind = mimetypes.guess_type(path.name)[0] or "application/octet-stream"
            return URLFetcherResponse(url, path.read_bytes(), {"Content-Type": kind})

    return HTML(string=html, base_url=_BASE, url_fetcher=FolderFetcher()).render()


def page_as_png(paper: Paper, files: Path, number: int) -> bytes:
    """A page of a paper, counted from 0, as a picture (PNG) at 150 dots an inch."""
    # Only a shared picture needs it.
    from pypdfium2 import PdfDocument

    document = PdfDocument(write_paper(paper, files))
    try:
        picture = io.BytesIO()
        document[number].render(scale=_DOTS_AN_INCH / 72).to_pil().save(picture, format="PNG")
        return picture.getvalue()
    finally:
        document.close()


_DOTS_AN_INCH = 150


# Names no host: whatever is under it comes from the folder, and all else is refused.
_BASE = "http://paper/"
