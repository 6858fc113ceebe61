"""The plan form as data: its sections, and the folds behind a line each that says what they hold.

The page draws these sections, the answer is read by them, the yard fills them in.
"""

from collections.abc import Iterator, Mapping, Sequence
from typing import NamedTuple

from keeve.core.mixes.model import Mix
from keeve.core.planning.site_mix import WATER
from keeve.core.quantities import in_reader_units
from keeve.core.texts import capitalized
from keeve.core.units import System
from keeve.screens.plan import fields as plan_fields
from keeve.screens.plan.fields import (
    DESIGN_MORE,
    GAUGE,
    PACE,
    PLASTER,
    REPLACED,
    SCALES,
    WASTE,
    dosed,
    vessels,
)
from keeve.screens.plan.shapes import asked_of
from keeve.web.fields import Choice, Field, Number, Rows, Text, UploadedMesh, is_given, members


class Group(NamedTuple):
    """Fields that are always shown; rows below them."""

    fields: list[Field]
    rows: list[Rows] = []
    note: str = ""


class Fold(NamedTuple):
    """Fields or rows behind a line that opens and says what they hold; ``value`` says that of rows."""

    label: str
    fields: list[Field] = []
    rows: list[Rows] = []
    value: str = ""

    def words(self, values: Mapping[str, str], units: System) -> str:
        """Its contents, in the line that opens it."""
        said = [
            _said(field, values[field.name], units, alone=len(self.fields) == 1)
            for field in self.fields
            if _tells(field, values)
        ]
        return (
            " · ".join(said)
            or (self.value if self.rows else in_reader_units(self.value, units))
            or "not given"
        )

    def is_open(self, errors: Mapping[str, str]) -> bool:
        """Whether it starts open: something in it is wrong."""
        rows = tuple(".".join(map(str, each.path)) + "." for each in self.rows)
        return any(field.name in errors for field in self.fields) or any(
            name.startswith(rows) for name in errors if rows
        )


def _tells(field: Field, values: Mapping[str, str]) -> bool:
    """Whether a field is worth a word: a figure that is there, or a choice that is not as usual."""
    if isinstance(field, UploadedMesh):
        return False
    return is_given(field, values) or (not isinstance(field, Choice) and values.get(field.name, "") != "")


def _said(field: Field, text: str, units: System, *, alone: bool) -> str:
    """The text that was given, after the name of its field."""
    if isinstance(field, Choice):
        return dict(field.written(text))[text]
    # A text that brings its own unit is shown as it was typed.
    unit = field.unit(units) if isinstance(field, Number) and text[-1:].isdigit() else ""
    label = "" if alone else field.label.partition(",")[0]
    return " ".join(filter(None, [label, text, unit]))


class FormSection(NamedTuple):
    """A part of the form under a heading; ``item`` is the number of the job's item it is about.

    ``picks``: what is chosen by picture above its fields: ``shape``, ``mix`` or nothing.
    """

    heading: str
    parts: list[Group | Fold]
    item: int | None = None
    is_last_item: bool = False
    picks: str = ""

    @property
    def is_lone(self) -> bool:
        """Whether its heading says all that the label of its only field would."""
        return not self.picks and sum(len(part.fields) + len(part.rows) for part in self.parts) == 1

    def fields(self, values: Mapping[str, str]) -> Iterator[Field]:
        """Every field of the section that a form with these values has."""
        for part in self.parts:
            yield from part.fields
            for rows in part.rows:
                for row in rows.standing(values):
                    yield from row


def sections(mix: Mix, shapes: list[str], values: Mapping[str, str]) -> list[FormSection]:
    """The sections of the form: what is made and its sizes, mix, mixer, measure, and all the rest in folds.

    Args:
        mix: the chosen mix.
        shapes: the shape of each item of the job.
        values: what the form has, for the number of rows and the words of folds.
    """
    span_mm = mix.supports.get(plan_fields.laid(mix, values)) or mix.thickness_mm
    known = [*(part.name for part in mix.parts), WATER]
    items = [
        _item_section(shape, index, len(shapes), values, span_mm, known) for index, shape in enumerate(shapes)
    ]
    gauge = [] if mix.basis_traits.is_blended else [FormSection("Measure", [Group([GAUGE])])]
    mixer = FormSection("Mixer", [Group(plan_fields.mixer(mix, values))])
    return [*items, _mix_section(mix, values), mixer, *gauge, _more(mix, values)]


def _item_section(
    shape: str,
    index: int,
    count: int,
    values: Mapping[str, str],
    span_mm: tuple[float, float] | None,
    materials: Sequence[str],
) -> FormSection:
    parts: list[Group | Fold] = []
    more: list[Field] = [Text("Name", ("need", index, "name"))] if count > 1 else []
    for asked in asked_of(shape, index, values, span_mm, materials):
        parts.append(Group([field for field in asked.fields if not _is_extra(field)], asked.rows))
        more += [field for field in asked.fields if _is_extra(field)]
    if more:
        parts.append(Fold("More", more, value="one item"))
    heading = "What are you making?" if count == 1 else f"Item {index + 1}"
    return FormSection(heading, parts, index, is_last_item=index == count - 1, picks="shape")


def _is_extra(field: Field) -> bool:
    """Whether an item does without a figure: it may be left empty and starts so, or there is one of it."""
    return isinstance(field, Number) and not field.needed and field.default in (None, 1)


def _mix_section(mix: Mix, values: Mapping[str, str]) -> FormSection:
    note = ""
    if mix.basis_traits.asks_for == "label":
        note = f"From the label on your {mix.parts[0].unit or 'bag'}:"
    asked = [
        *plan_fields.proportion(mix),
        *plan_fields.support(mix),
        *plan_fields.intended_use(mix),
        *plan_fields.packs(mix),
        *plan_fields.label(mix),
        *plan_fields.design(mix, values),
    ]
    return FormSection("Mix", [Group(asked, note=note)], picks="mix")


def _more(mix: Mix, values: Mapping[str, str]) -> FormSection:
    """Everything else, each thing behind a line of its own."""
    by_parts = not mix.basis_traits.is_blended
    is_designed = mix.basis_traits.asks_for == "design"
    buckets = ", ".join(vessel.get("name", "") for vessel in members(values, "vessels")) or "none"
    scales = str(len(members(values, "scales")) or "none")
    folds = [
        Fold("Bags and moisture", plan_fields.bags_and_moistures(mix)),
        Fold("Stone, sand and exposure", list(DESIGN_MORE) if is_designed else []),
        Fold("Cement replacements", list(REPLACED) if is_designed else [], value="nothing"),
        Fold("Waste", [WASTE]),
        Fold("Who and where", plan_fields.placing(mix), value="two or more, mild air"),
        Fold("Temperatures", plan_fields.temperatures(mix), value="20 °C assumed"),
        Fold("Loading order and loads", plan_fields.order_and_loads(mix), value="as recommended"),
        Fold("Your buckets", rows=[vessels(mix)] if by_parts else [], value=buckets),
        Fold("Your scales", rows=[SCALES], value=scales),
        Fold("Speed", list(PACE)),
        Fold("More from the label", plan_fields.label_more(mix)),
        *(
            Fold(
                f"{capitalized(item.name)}, from your label",
                plan_fields.admixture_label(mix, number),
                value="no dose given",
            )
            for number, item in enumerate(dosed(mix))
        ),
        Fold(
            f"Your own ratio, parts to 1 of {mix.parts[0].name}",
            plan_fields.own_ratio(mix),
            value="as in the mix",
        ),
        Fold("Your own usual water", plan_fields.own_water(mix), value="as in the mix"),
        Fold(
            "Your own ratio of water and plaster",
            list(PLASTER) if mix.basis == "gypsum" else [],
            value="as in the mix",
        ),
        Fold("Your own densities and bags", plan_fields.densities(mix), value="usual figures"),
        Fold("Prices", plan_fields.prices(mix)),
        Fold("Site check: bags, steel", plan_fields.site_check(mix), value="nothing noted"),
    ]
    return FormSection("More", [fold for fold in folds if fold.fields or fold.rows])
