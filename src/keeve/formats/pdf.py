"""Paper: a page of HTML as PDF, by WeasyPrint. Nothing is fetched but what the caller names."""

import io
import mimetypes
from collections.abc import Callable, Iterable, Mapping, Sequence
from pathlib import Path
from typing import Any


def write_pdf(settings: Iterable[str], files: Path, pages: int) -> bytes:
    """A PDF of the first of several settings of a text, loose to tight, that keeps to so many pages; else of the last.

    Args:
        settings: each a page of HTML that holds its styles and pictures itself; a file it names, such as a font,
            is in ``files``.
        files: the folder of those files. Everything else is refused.
        pages: how many pages it may take.
    """
    document = None
    for html in settings:
        document = _rendered(html, files)
        if len(document.pages) <= pages:
            break
    if document is None:
        raise ValueError("nothing to set")
    found: bytes = document.write_pdf()
    return found


# Longer than any strip, mm.
_TALL_MM = 4000.0
# Left blank below the end of each, where it is torn, mm.
_TAIL_MM = 10.0
_PX_A_MM = 96 / 25.4


def write_strips(render: Callable[[Mapping[str, float]], str], names: Sequence[str], files: Path) -> bytes:
    """A PDF of strips for a roll, each as long as what is on it.

    Args:
        render: the page of HTML for the lengths of its strips, mm, by name; each strip is a page and holds an element
            with the id ``end-`` and its name where it ends.
        names: the names of the strips.
        files: the folder of the files it names.
    """
    tall = _rendered(render(dict.fromkeys(names, _TALL_MM)), files)
    ends = {name: place[1] for page in tall.pages for name, place in page.anchors.items()}
    lengths = {name: ends[f"end-{name}"] / _PX_A_MM + _TAIL_MM for name in names}
    found: bytes = _rendered(render(lengths), files).write_pdf()
    return found


def _rendered(html: str, files: Path) -> Any:
    """A text laid out by WeasyPrint, with files of one folder and nothing else."""
    # Half a second that only paper needs.
    from weasyprint import HTML
    from weasyprint.urls import URLFetcher, URLFetcherResponse

    class FolderFetcher(URLFetcher):  # type: ignore[misc]
        def fetch(self, url: str, headers: Any = None) -> URLFetcherResponse:
            path = (files / url.removeprefix(_BASE)).resolve()
            if not url.startswith(_BASE) or not path.is_relative_to(files.resolve()):
                raise ValueError(f"{url} is not for paper")
            kind = mimetypes.guess_type(path.name)[0] or "application/octet-stream"
            return URLFetcherResponse(url, path.read_bytes(), {"Content-Type": kind})

    return HTML(string=html, base_url=_BASE, url_fetcher=FolderFetcher()).render()


def page_as_png(pdf: bytes, number: int) -> bytes:
    """A page of a PDF, counted from 0, as a picture (PNG) at 150 dots an inch."""
    # Only a shared picture needs it.
    from pypdfium2 import PdfDocument

    document = PdfDocument(pdf)
    try:
        picture = io.BytesIO()
        document[number].render(scale=_DOTS_AN_INCH / 72).to_pil().save(picture, format="PNG")
        return picture.getvalue()
    finally:
        document.close()


_DOTS_AN_INCH = 150


# Names no host: whatever is under it comes from the folder, and all else is refused.
_BASE = "http://paper/"
