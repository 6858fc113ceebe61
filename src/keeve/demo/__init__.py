"""The demo: an invented crew restoring a canal boathouse, its work made through the services."""

from keeve.demo.boathouse import (
    PASSWORD,
    SIGN_IN_NAME,
    begin_afresh,
    begin_afresh_once,
    close_demo,
    enter,
    load_demo,
)

__all__ = [
    "PASSWORD",
    "SIGN_IN_NAME",
    "begin_afresh",
    "begin_afresh_once",
    "close_demo",
    "enter",
    "load_demo",
]
