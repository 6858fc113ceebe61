"""What a browser sends of the forms of a page, read from its HTML."""

from html.parser import HTMLParser


class _Fields(HTMLParser):
    """The named fields of a page, or of one of its forms by id, in order; ticks and files are left out."""

    def __init__(self, form_id: str) -> None:
        super().__init__()
        self.form_id = form_id
        self.inside = not form_id
        self.fields: dict[str, str] = {}
        self.select = ""

    def handle_starttag(self, tag: str, attributes: list[tuple[str, str | None]]) -> None:
        given = dict(attributes)
        if tag == "form" and self.form_id:
            self.inside = given.get("id") == self.form_id
        name = given.get("name") or ""
        if not self.inside:
            return
        if tag == "input" and name and given.get("type") not in ("checkbox", "radio", "file"):
            self.fields[name] = given.get("value") or ""
        elif tag == "select":
            self.select = name
        elif tag == "option" and self.select and ("selected" in given or self.select not in self.fields):
            self.fields[self.select] = given.get("value") or ""

    def handle_endtag(self, tag: str) -> None:
        if tag == "select":
            self.select = ""
        elif tag == "form" and self.form_id:
            self.inside = False


def fields_in(html: str, form_id: str = "") -> dict[str, str]:
    """The fields of a page by name, of every form or of one."""
    found = _Fields(form_id)
    found.feed(html)
    return found.fields
