"""What a browser sends of the forms of a page, read from its HTML.

The templates escape every < and > inside a value, so that a tag ends at its first >.
"""

import re
from html import unescape

_TAG = re.compile(r"<(/?)(form|input|select|option)\b([^>]*)>")
_ATTRIBUTE = re.compile(r"""([\w-]+)(?:=(?:"([^"]*)"|'([^']*)'|(\S+)))?""")
# What a browser sends only once it is chosen.
_CHOSEN = ("checkbox", "radio")


def fields_in(html: str, form_id: str = "") -> dict[str, str]:
    """The fields of a page by name, of every form or of one."""
    fields: dict[str, str] = {}
    inside, select = not form_id, ""
    for closing, tag, text in _TAG.findall(html):
        given = {
            name: unescape(double or single or bare)
            for name, double, single, bare in _ATTRIBUTE.findall(text)
        }
        if tag == "form" and form_id:
            inside = not closing and given.get("id") == form_id
        elif tag == "select":
            select = "" if closing else given.get("name", "")
        elif inside and tag == "input" and given.get("name") and given.get("type") != "file":
            if given.get("type") in _CHOSEN and "checked" not in given:
                continue
            fields[given["name"]] = given.get("value", "")
        elif inside and tag == "option" and select and ("selected" in given or select not in fields):
            fields[select] = given.get("value", "")
    return fields
