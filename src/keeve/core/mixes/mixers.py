"""The kinds of mixer, how each is said, whose steps come nearest, and the orders of loading."""

from typing import Literal

MixerKind = Literal[
    "tilting-drum", "forced-action", "paddle", "bowl", "tray", "two-buckets", "barrow", "bucket"
]
Order = Literal["water-first", "dry-first"]
# Mixed in these by hand: nothing turns.
BY_HAND: frozenset[MixerKind] = frozenset({"tray", "two-buckets", "barrow", "bucket"})

MIXER_NAMES: dict[MixerKind, str] = {
    "tilting-drum": "Drum mixer",
    "forced-action": "Pan mixer",
    "paddle": "Paddle and tub",
    "bowl": "Bowl mixer",
    "tray": "Mixing tray",
    "two-buckets": "Two buckets",
    "barrow": "Barrow",
    "bucket": "Bucket, by hand",
}
# What each mixes at a time as it is usually met, L: a small drum and pan, a tub of 65, a tray, a barrow, two buckets of
# 14. Common practice, no source.
USUAL_L: dict[MixerKind, float] = {
    "tilting-drum": 90.0,
    "forced-action": 90.0,
    "paddle": 40.0,
    "bowl": 3.0,
    "tray": 60.0,
    "two-buckets": 10.0,
    "barrow": 40.0,
    "bucket": 8.0,
}
# How a mix is mixed in each, in a sentence.
MIXED_IN: dict[MixerKind, str] = {
    "tilting-drum": "in a drum mixer",
    "forced-action": "in a pan mixer",
    "paddle": "with a paddle in a tub",
    "bowl": "in a bowl mixer",
    "tray": "in a mixing tray",
    "two-buckets": "in two buckets",
    "barrow": "in a barrow",
    "bucket": "by hand in a bucket",
}
# Whose steps come nearest where a mix has none for a mixer and does not refuse it. By what turns: a judgement of ours.
NEAREST: dict[MixerKind, tuple[MixerKind, ...]] = {
    "tilting-drum": ("forced-action",),
    "forced-action": ("tilting-drum", "paddle"),
    "paddle": ("bowl", "bucket", "two-buckets", "tray", "forced-action", "barrow"),
    "bowl": ("paddle", "bucket", "forced-action"),
    "tray": ("barrow", "two-buckets", "paddle", "forced-action"),
    "two-buckets": ("bucket", "tray", "barrow", "paddle", "forced-action"),
    "barrow": ("tray", "two-buckets", "paddle", "forced-action"),
    "bucket": ("two-buckets", "tray", "barrow", "paddle", "forced-action"),
}
ORDER_NAMES: dict[Order, str] = {"water-first": "Water first", "dry-first": "Dry first"}
