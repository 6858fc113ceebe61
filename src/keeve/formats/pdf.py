"""Paper: a page of HTML as PDF, by WeasyPrint. Nothing is fetched but what the caller names."""

import mimetypes
from collections.abc import Iterable
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

    document = None
    for html in settings:
        document = HTML(string=html, base_url=_BASE, url_fetcher=FolderFetcher()).render()
        if len(document.pages) <= pages:
            break
    if document is None:
        raise ValueError("nothing to set")
    found: bytes = document.write_pdf()
    return found


# Names no host: whatever is under it comes from the folder, and all else is refused.
_BASE = "http://paper/"
