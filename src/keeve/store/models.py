"""The tables. Every row of a crew's work carries its crew; the database itself holds it to that."""

from datetime import date, datetime
from typing import Annotated, Any
from uuid import UUID, uuid4

from sqlalchemy import (
    CheckConstraint,
    Computed,
    ForeignKey,
    ForeignKeyConstraint,
    Index,
    String,
    Text,
    UniqueConstraint,
    false,
    func,
    text,
)
from sqlalchemy.dialects.postgresql import JSON, TSVECTOR
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column
from sqlalchemy.types import DateTime

# Texts by how long they may be; what writes them holds to the same, so that the database never has to refuse.
Kind = Annotated[str, mapped_column(String(20))]
Id = Annotated[str, mapped_column(String(80))]
Title = Annotated[str, mapped_column(String(120))]
Hash = Annotated[str, mapped_column(String(200))]
Note = Annotated[str, mapped_column(String(2000))]


class Base(DeclarativeBase):
    """All tables; times carry their zone, dictionaries are JSON, which (unlike JSONB) keeps their order."""

    type_annotation_map = {datetime: DateTime(timezone=True), dict[str, Any]: JSON}


class CrewOwned:
    """A row of the work of the crew that the transaction works for, which sees no other's (see ``database``)."""

    crew_id: Mapped[UUID] = mapped_column(
        ForeignKey("crew.id"), primary_key=True, server_default=text("asking_crew()"), sort_order=-1
    )


class Crew(Base):
    """People who work together; their times are shown in their zone. ``is_demo``: a crew of the demo, now or once."""

    __tablename__ = "crew"
    __table_args__ = (UniqueConstraint("id", "is_demo", name="crew_kind"),)

    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid4)
    name: Mapped[Title]
    zone: Mapped[Id] = mapped_column(server_default="UTC")
    is_demo: Mapped[bool] = mapped_column(server_default=false(), default=False)
    made_at: Mapped[datetime] = mapped_column(server_default=func.now())


class Account(Base):
    """A person who signs in; a person may work in several crews.

    ``demo_name``: which person of the demo it is; None of a real one, whatever they sign in as.
    """

    __tablename__ = "account"
    __table_args__ = (
        UniqueConstraint("demo_name", name="account_demo_name"),
        UniqueConstraint("id", "is_demo", name="account_kind"),
    )

    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid4)
    sign_in_name: Mapped[Title] = mapped_column(unique=True)
    name: Mapped[Title]
    password_hash: Mapped[Hash]
    recovery_hash: Mapped[bytes | None]
    # The second step: the key the phone has, since when it is asked for, the last half minute whose code was used.
    second_key: Mapped[Id | None]
    second_since: Mapped[datetime | None]
    second_used: Mapped[int | None]
    # Asked with the recovery code alone: it falls away then, unless somebody stops that.
    second_ends_at: Mapped[datetime | None]
    units: Mapped[Kind] = mapped_column(server_default="metric")
    demo_name: Mapped[Kind | None]
    is_demo: Mapped[bool] = mapped_column(Computed("demo_name is not null", persisted=True))
    made_at: Mapped[datetime] = mapped_column(server_default=func.now())


class Membership(Base):
    """An account's place in a crew: ``lead``, ``mixer`` or ``reader``.

    The demo's people are in its crews and in no other, and nobody else is in them: the two keys hold it to that.
    """

    __tablename__ = "membership"
    __table_args__ = (
        ForeignKeyConstraint(
            ["crew_id", "is_demo"], ["crew.id", "crew.is_demo"], name="membership_crew_kind"
        ),
        ForeignKeyConstraint(
            ["account_id", "is_demo"], ["account.id", "account.is_demo"], name="membership_account_kind"
        ),
    )

    crew_id: Mapped[UUID] = mapped_column(ForeignKey("crew.id"), primary_key=True)
    account_id: Mapped[UUID] = mapped_column(ForeignKey("account.id"), primary_key=True)
    is_demo: Mapped[bool] = mapped_column(server_default=false(), default=False)
    role: Mapped[Kind] = mapped_column(server_default="lead")
    made_at: Mapped[datetime] = mapped_column(server_default=func.now())


class Invitation(Base):
    """An open place in a crew, known by the hash of the token in its link; good once."""

    __tablename__ = "invitation"

    token_hash: Mapped[bytes] = mapped_column(primary_key=True)
    crew_id: Mapped[UUID] = mapped_column(ForeignKey("crew.id"))
    role: Mapped[Kind]
    made_by: Mapped[UUID] = mapped_column(ForeignKey("account.id"))
    expires_at: Mapped[datetime]
    used_at: Mapped[datetime | None]


class PasswordReset(Base):
    """A link by which a person may choose a new password, made by a lead, known by the hash of its token; good once."""

    __tablename__ = "password_reset"

    token_hash: Mapped[bytes] = mapped_column(primary_key=True)
    account_id: Mapped[UUID] = mapped_column(ForeignKey("account.id"))
    made_by: Mapped[UUID] = mapped_column(ForeignKey("account.id"))
    expires_at: Mapped[datetime]


class DemoCrew(Base):
    """A crew of the demo: the moment its morning was made for, and when everything of it was there."""

    __tablename__ = "demo_crew"

    crew_id: Mapped[UUID] = mapped_column(ForeignKey("crew.id"), primary_key=True)
    made_at: Mapped[datetime]
    ready_at: Mapped[datetime] = mapped_column(server_default=func.now())


class SignIn(Base):
    """A session of a signed-in person, known by the hash of its token; it fixes the crew."""

    __tablename__ = "sign_in"
    __table_args__ = (
        ForeignKeyConstraint(
            ["crew_id", "account_id"],
            ["membership.crew_id", "membership.account_id"],
            name="sign_in_membership",
        ),
    )

    token_hash: Mapped[bytes] = mapped_column(primary_key=True)
    crew_id: Mapped[UUID]
    account_id: Mapped[UUID]
    form_token: Mapped[Id]
    device: Mapped[Kind] = mapped_column(server_default="")
    made_at: Mapped[datetime] = mapped_column(server_default=func.now())
    seen_at: Mapped[datetime] = mapped_column(server_default=func.now())
    expires_at: Mapped[datetime]
    revoked_at: Mapped[datetime | None]
    waits_for_code: Mapped[bool] = mapped_column(server_default=false())


class KnownBrowser(Base):
    """A browser in which a person has signed in before, known by the hash of its token."""

    __tablename__ = "known_browser"

    token_hash: Mapped[bytes] = mapped_column(primary_key=True)
    account_id: Mapped[UUID] = mapped_column(ForeignKey("account.id"))
    made_at: Mapped[datetime] = mapped_column(server_default=func.now())


class SecurityEntry(Base):
    """A happening in a crew that its leads may want to know of later: who signed in, was let in or sent away."""

    __tablename__ = "security_entry"
    __table_args__ = (Index("security_entry_of_crew", "crew_id", "id"), Index("security_entry_by_age", "at"))

    id: Mapped[int] = mapped_column(primary_key=True)
    crew_id: Mapped[UUID] = mapped_column(ForeignKey("crew.id"))
    account_id: Mapped[UUID] = mapped_column(ForeignKey("account.id"))
    about_id: Mapped[UUID | None] = mapped_column(ForeignKey("account.id"))
    kind: Mapped[Kind]
    words: Mapped[Id]
    address: Mapped[Id]
    at: Mapped[datetime]


class SignInWait(Base):
    """Since when a place waits before it may try a name at which there were too many wrong tries."""

    __tablename__ = "sign_in_wait"

    sign_in_name: Mapped[Title] = mapped_column(primary_key=True)
    address: Mapped[Id] = mapped_column(primary_key=True)
    began_at: Mapped[datetime]


class SignInFailure(Base):
    """A failed sign-in, counted to slow down guessing."""

    __tablename__ = "sign_in_failure"
    __table_args__ = (
        Index("sign_in_failure_by_name", "sign_in_name", "at"),
        Index("sign_in_failure_by_address", "address", "at"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    sign_in_name: Mapped[Title]
    address: Mapped[Id]
    at: Mapped[datetime]


class StoredPlan(CrewOwned, Base):
    """A job and the plan computed from it; never changed. ``version_of``: the first plan of its job, of a later one."""

    __tablename__ = "plan"
    __table_args__ = (
        Index("plan_newest", "crew_id", "made_at"),
        Index("plan_by_regime", "crew_id", "regime"),
        Index("plan_of_job", "crew_id", text("coalesce(version_of, id)"), "made_at"),
        ForeignKeyConstraint(["crew_id", "version_of"], ["plan.crew_id", "plan.id"], name="plan_version_of"),
    )

    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid4)
    title: Mapped[Title]
    job: Mapped[dict[str, Any]]
    result: Mapped[dict[str, Any]]
    # Read out of the result once, which is long to read.
    loads: Mapped[int] = mapped_column(Computed("json_array_length(result -> 'loads')", persisted=True))
    mix_name: Mapped[str] = mapped_column(
        Text, Computed("result -> 'mix' ->> 'name'", persisted=True), nullable=True
    )
    mix_id: Mapped[str] = mapped_column(
        Text, Computed("result -> 'mix' ->> 'id'", persisted=True), nullable=True
    )
    regime: Mapped[str] = mapped_column(
        Text, Computed("result -> 'mix' ->> 'regime'", persisted=True), nullable=True
    )
    rules_version: Mapped[Kind]
    version_of: Mapped[UUID | None]
    made_by: Mapped[UUID] = mapped_column(ForeignKey("account.id"))
    made_at: Mapped[datetime] = mapped_column(server_default=func.now())


class JobEntry(CrewOwned, Base):
    """Something said of a job, added once and never changed: its name, its state or a note; of the first two the newest
    counts.
    """

    __tablename__ = "job_entry"
    __table_args__ = (
        ForeignKeyConstraint(["crew_id", "job_id"], ["plan.crew_id", "plan.id"], name="job_entry_job"),
        Index("job_entry_of_job", "crew_id", "job_id", "kind", "made_at"),
    )

    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid4)
    job_id: Mapped[UUID]
    kind: Mapped[Kind]
    text: Mapped[Note]
    made_by: Mapped[UUID] = mapped_column(ForeignKey("account.id"))
    made_at: Mapped[datetime]


class MixVersion(CrewOwned, Base):
    """A version of a mix of the crew's own; never changed."""

    __tablename__ = "mix_version"

    mix_id: Mapped[Id] = mapped_column(primary_key=True)
    version: Mapped[int] = mapped_column(primary_key=True)
    content: Mapped[dict[str, Any]]
    made_by: Mapped[UUID] = mapped_column(ForeignKey("account.id"))
    made_at: Mapped[datetime] = mapped_column(server_default=func.now())


class ShareLink(Base):
    """A link that shows the cards of a plan to whoever has it. Kept as it is, not as a hash: it is printed and shown
    again, and opens nothing but those cards.
    """

    __tablename__ = "share_link"
    __table_args__ = (
        ForeignKeyConstraint(["crew_id", "plan_id"], ["plan.crew_id", "plan.id"], name="share_link_plan"),
        Index(
            "share_link_of_plan",
            "crew_id",
            "plan_id",
            unique=True,
            postgresql_where=text("withdrawn_at is null"),
        ),
    )

    token: Mapped[Id] = mapped_column(primary_key=True)
    crew_id: Mapped[UUID]
    plan_id: Mapped[UUID]
    made_by: Mapped[UUID] = mapped_column(ForeignKey("account.id"))
    made_at: Mapped[datetime]
    withdrawn_at: Mapped[datetime | None]


class FavouriteMix(CrewOwned, Base):
    """A mix that a person of a crew wants on top."""

    __tablename__ = "favourite_mix"

    account_id: Mapped[UUID] = mapped_column(ForeignKey("account.id"), primary_key=True)
    mix_id: Mapped[Id] = mapped_column(primary_key=True)


class StoredLoad(CrewOwned, Base):
    """A load of a plan that was begun; its state is the fold of its events.

    ``attempt``: how many times it was begun before and taken back.
    """

    __tablename__ = "load"
    __table_args__ = (
        ForeignKeyConstraint(["crew_id", "plan_id"], ["plan.crew_id", "plan.id"], name="load_plan"),
        UniqueConstraint("crew_id", "plan_id", "number", "attempt", name="load_once"),
        Index("load_newest", "crew_id", "begun_at", "id"),
    )

    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid4)
    plan_id: Mapped[UUID]
    number: Mapped[int]
    attempt: Mapped[int] = mapped_column(server_default="0")
    begun_at: Mapped[datetime]


class LogEntry(CrewOwned, Base):
    """A load as the log lists and finds it: of a plan, or of the crew's own history that it brought in.

    Read out of its events as they come, which are long to read: it alone of a load is ever written anew.
    ``due_at``: when its next specimen is. ``is_open``: whether something was still to be done with it after its last
    event. ``words``: everything written of it. ``search``: those words and of its title, each marked with its crew.
    """

    __tablename__ = "log_entry"
    __table_args__ = (
        ForeignKeyConstraint(["crew_id", "plan_id"], ["plan.crew_id", "plan.id"], name="log_entry_plan"),
        Index("log_entry_newest", "crew_id", "begun_at", "id"),
        Index("log_entry_of_job", "crew_id", "job_id", "begun_at", "id"),
        Index("log_entry_of_mix", "crew_id", "mix_id", "begun_at", "id"),
        Index("log_entry_in_state", "crew_id", "state", "begun_at", "id"),
        Index("log_entry_by_words", "search", postgresql_using="gin"),
        Index("log_entry_due", "crew_id", "due_at", postgresql_where=text("due_at is not null")),
        ForeignKeyConstraint(
            ["crew_id", "import_id"], ["log_import.crew_id", "log_import.id"], name="log_entry_import"
        ),
        CheckConstraint(
            "(plan_id is null) = (job_id is null) and (plan_id is null) <> (import_id is null)",
            name="log_entry_of_one",
        ),
        Index("log_entry_of_import", "crew_id", "import_id", postgresql_where=text("import_id is not null")),
    )

    id: Mapped[UUID] = mapped_column(primary_key=True)
    plan_id: Mapped[UUID | None]
    job_id: Mapped[UUID | None]
    import_id: Mapped[UUID | None]
    mix_id: Mapped[Id]
    title: Mapped[Title]
    begun_at: Mapped[datetime]
    state: Mapped[Kind]
    is_open: Mapped[bool]
    due_at: Mapped[datetime | None]
    words: Mapped[str] = mapped_column(Text)
    content: Mapped[dict[str, Any]]
    mix_name: Mapped[str] = mapped_column(
        Text, Computed("content ->> 'mix_name'", persisted=True), nullable=True
    )
    begun_by: Mapped[str | None] = mapped_column(Text, Computed("content ->> 'begun_by'", persisted=True))
    judged_by: Mapped[str | None] = mapped_column(Text, Computed("content ->> 'judged_by'", persisted=True))
    search: Mapped[str] = mapped_column(TSVECTOR)


class LogImport(CrewOwned, Base):
    """A table of a crew's own history: as it came, how its columns are meant, and what became of it.

    Its loads in the log are read out of it, and leave the log with it.
    """

    __tablename__ = "log_import"
    __table_args__ = (Index("log_import_newest", "crew_id", "made_at"),)

    id: Mapped[UUID] = mapped_column(primary_key=True)
    file: Mapped[Title]
    table: Mapped[list[list[str]]] = mapped_column(JSON)
    meant: Mapped[dict[str, Any]]
    made_by: Mapped[UUID] = mapped_column(ForeignKey("account.id"))
    made_at: Mapped[datetime]
    taken_at: Mapped[datetime | None]
    loads: Mapped[int | None]
    withdrawn_at: Mapped[datetime | None]
    withdrawn_by: Mapped[UUID | None] = mapped_column(ForeignKey("account.id"))


class LogPerson(CrewOwned, Base):
    """Somebody who worked on a load of the log, in small letters: their loads are found by it, the newest first."""

    __tablename__ = "log_person"
    __table_args__ = (
        ForeignKeyConstraint(
            ["crew_id", "id"],
            ["log_entry.crew_id", "log_entry.id"],
            name="log_person_entry",
            ondelete="CASCADE",
        ),
        Index("log_person_of_entry", "crew_id", "id"),
    )

    person: Mapped[Title] = mapped_column(primary_key=True)
    begun_at: Mapped[datetime] = mapped_column(primary_key=True)
    id: Mapped[UUID] = mapped_column(primary_key=True)


class Event(CrewOwned, Base):
    """One event of a load, appended once and never changed."""

    __tablename__ = "event"
    __table_args__ = (
        ForeignKeyConstraint(["crew_id", "load_id"], ["load.crew_id", "load.id"], name="event_load"),
        Index("event_of_load", "crew_id", "load_id"),
        Index("event_taken_back", "crew_id", "load_id", postgresql_where=text("kind = 'taken_back'")),
    )

    id: Mapped[UUID] = mapped_column(primary_key=True)
    load_id: Mapped[UUID]
    account_id: Mapped[UUID] = mapped_column(ForeignKey("account.id"))
    received_at: Mapped[datetime] = mapped_column(server_default=func.now())
    content: Mapped[dict[str, Any]]
    kind: Mapped[str | None] = mapped_column(
        Text, Computed('substring(content::text from \'"kind": ?"([a-z_]+)"\')', persisted=True)
    )


class StoredPhoto(CrewOwned, Base):
    """A photo of a load, of one of its events where that is given; removed for good where somebody asks for it."""

    __tablename__ = "photo"
    __table_args__ = (
        ForeignKeyConstraint(["crew_id", "load_id"], ["load.crew_id", "load.id"], name="photo_load"),
        Index("photo_of_load", "crew_id", "load_id", "made_at"),
    )

    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid4)
    load_id: Mapped[UUID]
    event_id: Mapped[UUID | None]
    jpeg: Mapped[bytes]
    small: Mapped[bytes]
    width: Mapped[int]
    height: Mapped[int]
    made_by: Mapped[UUID] = mapped_column(ForeignKey("account.id"))
    made_at: Mapped[datetime]


class StoredJobSummary(CrewOwned, Base):
    """The summary of a closed job; the newest of a plan counts."""

    __tablename__ = "job_summary"
    __table_args__ = (
        ForeignKeyConstraint(["crew_id", "plan_id"], ["plan.crew_id", "plan.id"], name="job_summary_plan"),
        Index("job_summary_newest", "crew_id", "mix_id", "made_at"),
    )

    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid4)
    plan_id: Mapped[UUID]
    mix_id: Mapped[Id]
    title: Mapped[Title]
    content: Mapped[dict[str, Any]]
    made_by: Mapped[UUID] = mapped_column(ForeignKey("account.id"))
    made_at: Mapped[datetime]


class Pour(CrewOwned, Base):
    """A pour: everything placed of a job on a day of the crew, from its first load to its last.

    Read out of the events of its loads as they come, which are long to read; it alone of a crew's work is widened.
    """

    __tablename__ = "pour"
    __table_args__ = (
        ForeignKeyConstraint(["crew_id", "plan_id"], ["plan.crew_id", "plan.id"], name="pour_plan"),
        Index("pour_newest", "crew_id", "last_at"),
    )

    job_id: Mapped[UUID] = mapped_column(primary_key=True)
    day: Mapped[date] = mapped_column(primary_key=True)
    plan_id: Mapped[UUID]
    first_at: Mapped[datetime]
    last_at: Mapped[datetime]


class PourEntry(CrewOwned, Base):
    """Something said of a pour, added once and never changed: a task done, skipped or open again, a temperature read in
    it (°C), or that it is followed no more.
    """

    __tablename__ = "pour_entry"
    __table_args__ = (
        ForeignKeyConstraint(
            ["crew_id", "job_id", "day"], ["pour.crew_id", "pour.job_id", "pour.day"], name="pour_entry_pour"
        ),
        Index("pour_entry_of_pour", "crew_id", "job_id", "day", "made_at"),
    )

    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid4)
    job_id: Mapped[UUID]
    day: Mapped[date]
    kind: Mapped[Kind]
    task: Mapped[Kind] = mapped_column(server_default="")
    c: Mapped[float | None]
    made_by: Mapped[UUID] = mapped_column(ForeignKey("account.id"))
    made_at: Mapped[datetime]


class CalendarFeed(Base):
    """A secret address that a person's calendar reads the crew's dates from. Kept as it is: it is shown again, and
    opens nothing else.
    """

    __tablename__ = "calendar_feed"
    __table_args__ = (
        ForeignKeyConstraint(
            ["crew_id", "account_id"],
            ["membership.crew_id", "membership.account_id"],
            name="calendar_feed_membership",
            ondelete="CASCADE",
        ),
    )

    token: Mapped[Id] = mapped_column(primary_key=True)
    crew_id: Mapped[UUID]
    account_id: Mapped[UUID]
    made_at: Mapped[datetime]
    withdrawn_at: Mapped[datetime | None]


class DayVersion(CrewOwned, Base):
    """The crew's plan of a day, as saved at a moment; the newest counts."""

    __tablename__ = "day_version"
    __table_args__ = (Index("day_newest", "crew_id", "day", "made_at"),)

    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid4)
    day: Mapped[date]
    content: Mapped[dict[str, Any]]
    made_by: Mapped[UUID] = mapped_column(ForeignKey("account.id"))
    made_at: Mapped[datetime]


class DayTick(CrewOwned, Base):
    """Something said of a line of a day's list, added once and never changed: it is there, it is not, who brings it."""

    __tablename__ = "day_tick"
    __table_args__ = (Index("day_tick_of_day", "crew_id", "day", "made_at"),)

    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid4)
    day: Mapped[date]
    item: Mapped[Title]
    kind: Mapped[Kind]
    who: Mapped[Title] = mapped_column(server_default="")
    made_by: Mapped[UUID] = mapped_column(ForeignKey("account.id"))
    made_at: Mapped[datetime]


class YardVersion(CrewOwned, Base):
    """Something the crew owns, as saved at a moment; the newest counts; without content it was removed."""

    __tablename__ = "yard_version"
    __table_args__ = (Index("yard_newest", "crew_id", "thing_id", "made_at"),)

    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid4)
    thing_id: Mapped[UUID]
    content: Mapped[dict[str, Any] | None]
    made_by: Mapped[UUID] = mapped_column(ForeignKey("account.id"))
    made_at: Mapped[datetime]


class StockpileEvent(CrewOwned, Base):
    """An event of a stockpile of the crew's, appended once and never changed; ``stockpile`` is what lies in it."""

    __tablename__ = "stockpile_event"
    __table_args__ = (Index("stockpile_event_lately", "crew_id", "stockpile", "received_at"),)

    id: Mapped[UUID] = mapped_column(primary_key=True)
    stockpile: Mapped[Id]
    account_id: Mapped[UUID] = mapped_column(ForeignKey("account.id"))
    received_at: Mapped[datetime] = mapped_column(server_default=func.now())
    content: Mapped[dict[str, Any]]
