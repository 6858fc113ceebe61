"""The rule ``next-water``: the stockpile's free moisture, followed from load to load, gives the next start.

``stockpile_filter`` follows it. What no sand could take is set aside here before it is looked at.
"""

from typing import TYPE_CHECKING, Annotated, Literal, NamedTuple

from pydantic import Field

from keeve.core.rules.aggregate_moisture import free_moisture_fraction
from keeve.core.rules.registry import (
    PRACTICE,
    Amount,
    Dimension,
    Example,
    Fraction,
    Result,
    RuleWarning,
    Signed,
    Strict,
    published,
    rule,
)

if TYPE_CHECKING:
    from keeve.core.rules.stockpile_filter import Predicted, StockpileFilter

Judged = Literal["dry", "right", "wet", "unmixed"]
Reset = Literal["rain", "delivery", "night", "digging"]

# How far off a mix is that looks dry or wet, and the sd of a reading, as fractions of the wanted water over
# aggregate. Judgements made here, after common practice.
_SHIFT = {"dry": -0.05, "right": 0.0, "wet": 0.05}
_READING_SD = {"dry": 0.06, "right": 0.035, "wet": 0.06}
PAN_SD = 0.004
# Half the width of an 80 % band of one bell curve, in standard deviations; the shares under its ends.
BAND_SD = 1.2816
_LOW, _HIGH = 0.1, 0.9
# A total past what the driest sand could take by more than this share of the wanted water is a slip. A judgement made
# here: three times the error of a rough eye.
_SLIP = 0.2
# From that chance on something is said of a load.
_LIKELY = 0.5
# A change is asked about while it is so many sights old, and where it moved the moisture by so much.
_LATELY, _WORTH_ASKING = 4, 0.006
# So many loads after the next are looked ahead to: a morning of small ones.
_LATER = 5


class PastLoad(Strict):
    """The final figures of one load, or what was measured between loads.

    Args:
        added_l: water added, L.
        dry_aggregate_kg: oven-dry aggregate, kg.
        judged: how it was judged; ``unmixed`` is ignored.
        pan_moisture_fraction: total moisture of a sample dried in a pan, or measured in another way.
        pan_sd_fraction: standard deviation of that measurement.
        reset: what changed the stockpile before it; ``night``: hours passed unseen; ``digging``: it is dug elsewhere.
        weather_fraction: how the weather should have changed the free moisture since what came before it, uncovered:
            a prior, taken as much as it came true before.
        shift_fraction: how much wetter the other part is that it is dug from now: a prior, taken as it is.
        target_water_kg: free water it should have, kg; in the next load's proportion unless given, so that loads of
            another mix from the same stockpile count too.

    Rain, or a pan dried, between loads is an ``unmixed`` entry without water: the stockpile has not lost a load.
    """

    added_l: Amount
    dry_aggregate_kg: Dimension
    judged: Judged
    pan_moisture_fraction: Fraction | None = None
    pan_sd_fraction: Dimension = PAN_SD
    reset: Reset | None = None
    weather_fraction: Signed | None = None
    shift_fraction: Signed = 0.0
    target_water_kg: Dimension | None = None

    @property
    def was_mixed(self) -> bool:
        """Whether it was a load, not only a measurement between loads."""
        return self.judged != "unmixed" or self.added_l > 0


class Prediction(Strict):
    """The free moisture predicted for a load, its standard deviation, what the load then showed, and what that was.

    ``taken_as``: ``change`` where the stockpile had probably changed before it and nobody said so, ``slip`` where its
    figure was probably one and hardly counts, or could not be and does not.
    """

    free_moisture_fraction: float
    sd_fraction: float
    seen_fraction: float | None
    taken_as: Literal["usual", "change", "slip"] = "usual"


class LaterLoad(Strict):
    """A load after the next, if the stockpile goes on as it does: its start with its 80 % band, L, and its free
    moisture.
    """

    start_l: float
    low_l: float
    high_l: float
    free_moisture_fraction: float


class NextWater(Result):
    """The next start with its 80 % band, L; the free moisture with its sd; the last total; for each load before, what
    was predicted and seen; how far the stockpile changed lately without a word, null where it did not; and the loads
    after the next, if it goes on as it does.
    """

    start_l: float
    free_moisture_fraction: float
    sd_fraction: float
    low_l: float
    high_l: float
    last_total_l: float | None
    path: list[Prediction]
    changed_by_fraction: float | None
    later: list[LaterLoad]

    @property
    def spread_fraction(self) -> float:
        """Half the 80 % band of the free moisture."""
        return BAND_SD * self.sd_fraction


@rule(
    "next-water",
    formula="start = target − m · aggregate, m the pile's free moisture followed from load to load",
    math=(
        r"\text{start} = W - m \, A "
        r"\qquad m_{i} = \frac{W - \text{added}_{i}}{A_{i}} \pm 0.05 \, \frac{W}{A} "
        r"\qquad m \leftarrow m + d"
    ),
    sources=[published("Kalman, Journal of Basic Engineering 1960"), PRACTICE],
    example=Example(
        given={"history": [], "target_water_kg": 12, "dry_aggregate_kg": 80},
        gives={"start_l": 8.0, "free_moisture_fraction": 0.05, "last_total_l": None},
        origin="by hand: before the first load the pile is taken as 5 % moist, 4 kg in 80",
    ),
)
def next_water(
    history: Annotated[list[PastLoad], Field(max_length=400)],
    target_water_kg: Dimension,
    dry_aggregate_kg: Dimension,
    absorption_fraction: Fraction = 0.0,
) -> NextWater:
    """How much water to start the next load with, from what the last loads took.

    Args:
        history: earlier loads from this pile, in order.
        target_water_kg: in the next load, kg.
        dry_aggregate_kg: in the next load, oven-dry, kg.
        absorption_fraction: what the sand and stone soak up, by oven-dry weight.

    Returns:
        start_l with its 80 % band low_l to high_l (never below 0, nor above what the load wants and its dry aggregate
        could soak up); free_moisture_fraction and sd_fraction of the stockpile as it will be; last_total_l of the last
        load that was judged, null without one; path, one for each of the history: what was predicted for it, what it
        showed, and whether it was taken as usual, as a change of the stockpile or as a slip; changed_by_fraction;
        later, the loads after the next.

    Raises:
        InputError: an input is missing, unknown or out of bounds.
    """
    from keeve.core.rules.stockpile_filter import Chances, StockpileFilter

    stockpile = StockpileFilter()
    path: list[Prediction] = []
    sights: list[tuple[int, Chances]] = []
    warnings: list[RuleWarning] = []
    weathering = _Weathering()
    for number, load in enumerate(history):
        if load.reset:
            stockpile.unsettle()
        if load.shift_fraction:
            stockpile.shift(load.shift_fraction)
        if load.weather_fraction is not None:
            stockpile.shift(weathering.expect(load.weather_fraction, stockpile.predict().mean))
        predicted = stockpile.predict()
        seen = _seen(load, target_water_kg / dry_aggregate_kg, absorption_fraction)
        impossible = [sight for sight in seen if sight.moisture < sight.least]
        path.append(
            Prediction(
                free_moisture_fraction=predicted.mean,
                sd_fraction=predicted.sd,
                seen_fraction=seen[-1].moisture if seen else None,
                taken_as="slip" if impossible else "usual",
            )
        )
        if impossible:
            warnings.append(_set_aside(number, load))
        for sight in seen:
            if sight not in impossible:
                weathering.see(sight.moisture)
                before, now = stockpile.see(sight.moisture, sight.sd, sight.by_eye_of)
                if sights:
                    sights[-1] = (sights[-1][0], before)
                sights.append((number, now))
        if load.was_mixed:
            stockpile.pass_load()
    for number, chances in sights:
        if max(chances.changed, chances.slipped) > _LIKELY:
            taken_as: Literal["change", "slip"] = "change" if chances.changed > chances.slipped else "slip"
            path[number] = path[number].model_copy(update={"taken_as": taken_as})
    found = stockpile.predict()
    ahead = _ahead(stockpile)
    most_l = target_water_kg + absorption_fraction * dry_aggregate_kg

    def added_l(moisture_fraction: float) -> float:
        return min(max(target_water_kg - moisture_fraction * dry_aggregate_kg, 0.0), most_l)

    changed_by = _changed_by(history, path, found.mean)
    if found.mean * dry_aggregate_kg > target_water_kg:
        warnings.append(_STOCKPILE_TOO_WET)
    if changed_by is not None:
        warnings.append(_untold(changed_by))
    return NextWater(
        start_l=added_l(found.mean),
        free_moisture_fraction=found.mean,
        sd_fraction=found.sd,
        low_l=added_l(found.below(_HIGH)),
        high_l=added_l(found.below(_LOW)),
        last_total_l=next((load.added_l for load in reversed(history) if load.judged != "unmixed"), None),
        path=path,
        changed_by_fraction=changed_by,
        later=[
            LaterLoad(
                start_l=added_l(load.mean),
                low_l=added_l(load.mean + BAND_SD * load.sd),
                high_l=added_l(load.mean - BAND_SD * load.sd),
                free_moisture_fraction=load.mean,
            )
            for load in ahead
        ],
        warnings=warnings,
    )


def _ahead(stockpile: "StockpileFilter") -> "list[Predicted]":
    """The loads after the next, without a sight of any; it is done with afterwards."""
    found = []
    for _ in range(_LATER):
        stockpile.pass_load()
        found.append(stockpile.predict())
    return found


class _Weathering:
    """How much of what the weather should do to this stockpile it does: learnt from the times before.

    By least squares through nothing, beside a prior that it does all of it, which counts as much as two changes of 1 %
    of moisture (a judgement made here).
    """

    def __init__(self) -> None:
        self._both = self._own = 2 * 0.01**2
        self._open: tuple[float, float] | None = None

    def expect(self, change: float, before: float) -> float:
        """The change to expect of one the weather should make; how moist it was before is kept until it is seen."""
        self._open = (change, before)
        return change * min(max(self._both / self._own, 0.0), _MOST_OF_WEATHER)

    def see(self, moisture: float) -> None:
        """Learn from the first sight after it."""
        if self._open is None:
            return
        change, before = self._open
        self._both += change * (moisture - before)
        self._own += change**2
        self._open = None


# A stockpile follows the weather at most so much more than the usual one.
_MOST_OF_WEATHER = 2.0


def _changed_by(history: list[PastLoad], path: list[Prediction], now: float) -> float | None:
    """How far the stockpile changed at a load lately, and nobody said so; None where it did not, or hardly."""
    lately = range(len(path))[-_LATELY:]
    changed = [number for number in lately if path[number].taken_as == "change"]
    if not changed or any(load.reset for load in history[changed[-1] :]):
        return None
    by = now - path[changed[-1]].free_moisture_fraction
    return by if abs(by) > _WORTH_ASKING else None


def _untold(changed_by: float) -> RuleWarning:
    wetter = changed_by > 0
    return RuleWarning(
        code="stockpile_changed",
        message=f"The sand is suddenly {'wetter' if wetter else 'drier'}.",
        field="history",
        suggestion=(
            "Has it rained, or was new sand delivered? Note it."
            if wetter
            else "Was new sand delivered, or are you digging elsewhere? Note it, or do a pan test."
        ),
    )


def _set_aside(number: int, load: PastLoad) -> RuleWarning:
    return RuleWarning(
        code="total_set_aside",
        message=f"{load.added_l:g} L is more water than that load could need, so it's ignored.",
        field=f"history.{number}.added_l",
        suggestion="Correct the figure if it's a mistake.",
    )


_STOCKPILE_TOO_WET = RuleWarning(
    code="sand_too_wet",
    message="The sand alone probably holds more water than this load allows.",
    field="history",
    suggestion="Use drier sand from the top of the pile, or another pile.",
)


class _Sight(NamedTuple):
    """One observation of the free moisture: its sd, the least it can be, and for one by eye the wanted water over
    aggregate.
    """

    moisture: float
    sd: float
    least: float
    by_eye_of: float | None


def _seen(load: PastLoad, wanted: float, absorption: float) -> list[_Sight]:
    """The observations in a load: its dried pan, and the water it took until it was judged."""
    sights = []
    if load.pan_moisture_fraction is not None:
        moisture = free_moisture_fraction(load.pan_moisture_fraction, absorption)
        sights.append(_Sight(moisture, load.pan_sd_fraction, -absorption, by_eye_of=None))
    if load.judged != "unmixed":
        if load.target_water_kg is not None:
            wanted = load.target_water_kg / load.dry_aggregate_kg
        taken = wanted - load.added_l / load.dry_aggregate_kg + _SHIFT[load.judged] * wanted
        least = -absorption - _SLIP * wanted
        sights.append(_Sight(taken, _READING_SD[load.judged] * wanted, least, by_eye_of=wanted))
    return sights
