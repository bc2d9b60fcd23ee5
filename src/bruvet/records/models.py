"""The tables. Temperatures are °C, masses kg, lengths mm, times UTC."""

from __future__ import annotations

from datetime import date, datetime
from typing import Any

from sqlalchemy import (
    BigInteger,
    CheckConstraint,
    Date,
    DateTime,
    ForeignKey,
    Index,
    LargeBinary,
    MetaData,
    String,
    Text,
    UniqueConstraint,
    func,
)
from sqlalchemy.dialects.postgresql import JSONB, REAL
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, relationship

NAMING = {
    "ix": "ix_%(column_0_label)s",
    "uq": "uq_%(table_name)s_%(column_0_name)s",
    "ck": "ck_%(table_name)s_%(constraint_name)s",
    "fk": "fk_%(table_name)s_%(column_0_name)s",
    "pk": "pk_%(table_name)s",
}


class Base(DeclarativeBase):
    metadata = MetaData(naming_convention=NAMING)
    type_annotation_map = {  # noqa: RUF012
        datetime: DateTime(timezone=True),
        dict[str, Any]: JSONB,
        list[Any]: JSONB,
        str: Text,
    }


class Stamped:
    """Who entered a row, and when."""

    created_at: Mapped[datetime] = mapped_column(server_default=func.now())
    created_by: Mapped[int | None] = mapped_column(ForeignKey("person.id", ondelete="SET NULL"))


class Cooker(Stamped, Base):
    __tablename__ = "cooker"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(80), unique=True)
    kind: Mapped[str] = mapped_column(String(20))
    note: Mapped[str] = mapped_column(default="")


class Trial(Stamped, Base):
    __tablename__ = "trial"
    id: Mapped[int] = mapped_column(primary_key=True)
    uid: Mapped[str] = mapped_column(String(36), unique=True, server_default=func.gen_random_uuid().cast(String))
    title: Mapped[str] = mapped_column(String(120))
    question: Mapped[str]
    factor: Mapped[str] = mapped_column(String(30))
    factor_other: Mapped[str] = mapped_column(String(120), default="")
    held_same: Mapped[str] = mapped_column(default="")
    note: Mapped[str] = mapped_column(default="")
    cook_date: Mapped[date] = mapped_column(Date)
    tz: Mapped[str] = mapped_column(String(60))
    temp_unit: Mapped[str] = mapped_column(String(1), default="f")
    mass_unit: Mapped[str] = mapped_column(String(2), default="lb")
    own_words: Mapped[str] = mapped_column(default="")
    serve_at: Mapped[datetime | None]
    together: Mapped[str] = mapped_column(String(10), default="finish")
    assurance: Mapped[float] = mapped_column(default=0.9)
    hands: Mapped[int] = mapped_column(default=1)
    spritz_every_min: Mapped[float | None]
    kind: Mapped[str] = mapped_column(String(20), default="one-factor")
    factor2: Mapped[str] = mapped_column(String(30), default="")
    first_day_id: Mapped[int | None] = mapped_column(ForeignKey("trial.id", ondelete="SET NULL"), index=True)
    begin_at: Mapped[datetime | None]
    sleep_from: Mapped[str] = mapped_column(String(5), default="")
    sleep_until: Mapped[str] = mapped_column(String(5), default="")
    tolerances: Mapped[dict[str, Any]] = mapped_column(default=dict)
    lots: Mapped[dict[str, Any]] = mapped_column(default=dict)
    supplies: Mapped[dict[str, Any]] = mapped_column(default=dict)
    pins: Mapped[dict[str, Any]] = mapped_column(default=dict)
    watching: Mapped[dict[str, Any]] = mapped_column(default=dict)
    stand_in: Mapped[dict[str, Any]] = mapped_column(default=dict)
    stall_by: Mapped[dict[str, Any]] = mapped_column(default=dict)
    updated_at: Mapped[datetime] = mapped_column(server_default=func.now(), onupdate=func.now())
    first_day: Mapped[Trial | None] = relationship(remote_side="Trial.id")
    arms: Mapped[list[Arm]] = relationship(back_populates="trial", order_by="Arm.letter", cascade="all, delete-orphan")
    probes: Mapped[list[Probe]] = relationship(
        back_populates="trial", order_by="Probe.id", cascade="all, delete-orphan"
    )
    events: Mapped[list[Event]] = relationship(
        back_populates="trial", order_by="Event.at, Event.id", cascade="all, delete-orphan"
    )
    looks: Mapped[list[Look]] = relationship(
        back_populates="trial", order_by="Look.at, Look.id", cascade="all, delete-orphan"
    )
    log_files: Mapped[list[LogFile]] = relationship(
        back_populates="trial", order_by="LogFile.id", cascade="all, delete-orphan"
    )
    panellists: Mapped[list[Panellist]] = relationship(
        back_populates="trial", order_by="Panellist.id", cascade="all, delete-orphan"
    )


class Arm(Base):
    __tablename__ = "arm"
    __table_args__ = (
        UniqueConstraint("trial_id", "letter"),
        CheckConstraint("letter ~ '^[A-H]$'", name="letter"),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    trial_id: Mapped[int] = mapped_column(ForeignKey("trial.id", ondelete="CASCADE"), index=True)
    letter: Mapped[str] = mapped_column(String(1))
    label: Mapped[str] = mapped_column(String(80), default="")
    cooker_id: Mapped[int | None] = mapped_column(ForeignKey("cooker.id", ondelete="SET NULL"))
    pit_target_c: Mapped[float | None]
    wrap_rule: Mapped[str] = mapped_column(String(20), default="never")
    wrap_in: Mapped[str] = mapped_column(String(10), default="none")
    wrap_at_c: Mapped[float | None]
    wrap_at_min: Mapped[float | None]
    done_rule: Mapped[str] = mapped_column(String(20), default="feel")
    done_at_c: Mapped[float | None]
    done_at_min: Mapped[float | None]
    rest_kind: Mapped[str] = mapped_column(String(20), default="box")
    rest_min: Mapped[float | None]
    wood: Mapped[str] = mapped_column(String(120), default="")
    rub: Mapped[str] = mapped_column(String(200), default="")
    move_to_id: Mapped[int | None] = mapped_column(ForeignKey("cooker.id", ondelete="SET NULL"))
    move_at_c: Mapped[float | None]
    move_at_min: Mapped[float | None]
    move_pit_c: Mapped[float | None]
    said: Mapped[dict[str, Any]] = mapped_column(default=dict)
    trial: Mapped[Trial] = relationship(back_populates="arms")
    cooker: Mapped[Cooker | None] = relationship(foreign_keys=[cooker_id])
    move_to: Mapped[Cooker | None] = relationship(foreign_keys=[move_to_id])
    pieces: Mapped[list[Piece]] = relationship(
        lazy="selectin", back_populates="arm", order_by="Piece.number", cascade="all, delete-orphan"
    )


class Piece(Base):
    __tablename__ = "piece"
    __table_args__ = (UniqueConstraint("arm_id", "number"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    arm_id: Mapped[int] = mapped_column(ForeignKey("arm.id", ondelete="CASCADE"), index=True)
    number: Mapped[int] = mapped_column(default=1)
    cut: Mapped[str] = mapped_column(String(30))
    cut_other: Mapped[str] = mapped_column(String(80), default="")
    grade: Mapped[str] = mapped_column(String(80), default="")
    source: Mapped[str] = mapped_column(String(120), default="")
    raw_kg: Mapped[float | None]
    trimmed_kg: Mapped[float | None]
    cooked_kg: Mapped[float | None]
    thickness_mm: Mapped[float | None]
    bone: Mapped[str] = mapped_column(String(10), default="")
    opened: Mapped[bool] = mapped_column(default=False)
    pair: Mapped[str] = mapped_column(String(20), default="")
    position: Mapped[str] = mapped_column(String(60), default="")
    start_c: Mapped[float | None]
    read_by: Mapped[str] = mapped_column(String(80), default="")
    stall_by: Mapped[dict[str, Any]] = mapped_column(default=dict)
    arm: Mapped[Arm] = relationship(back_populates="pieces")
    cutting: Mapped[Cutting | None] = relationship(back_populates="piece", cascade="all, delete-orphan")

    @property
    def name(self) -> str:
        return f"{self.arm.letter}{self.number}"


class Probe(Base):
    """A channel whose readings belong to a piece, or to the pit of an arm."""

    __tablename__ = "probe"
    __table_args__ = (UniqueConstraint("trial_id", "arm_id", "piece_id", "place", postgresql_nulls_not_distinct=True),)
    id: Mapped[int] = mapped_column(primary_key=True)
    trial_id: Mapped[int] = mapped_column(ForeignKey("trial.id", ondelete="CASCADE"), index=True)
    arm_id: Mapped[int] = mapped_column(ForeignKey("arm.id", ondelete="CASCADE"), index=True)
    piece_id: Mapped[int | None] = mapped_column(ForeignKey("piece.id", ondelete="CASCADE"))
    place: Mapped[str] = mapped_column(String(60))
    taken_back: Mapped[list[Any]] = mapped_column(default=list)
    trial: Mapped[Trial] = relationship(back_populates="probes")
    arm: Mapped[Arm] = relationship()
    piece: Mapped[Piece | None] = relationship()

    @property
    def is_pit(self) -> bool:
        return self.piece_id is None

    @property
    def label(self) -> str:
        return f"{self.arm.letter} pit, {self.place}" if self.piece is None else f"{self.piece.name} {self.place}"


class Reading(Base):
    """The one table of volume. It has no foreign key, which would be checked row by row; a trigger on
    `probe` takes a probe's readings with it."""

    __tablename__ = "reading"
    probe_id: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    at: Mapped[datetime] = mapped_column(primary_key=True)
    temp_c: Mapped[float] = mapped_column(REAL)


class ReadingRollup(Base):
    """Readings by half minutes of the clock, kept up by a trigger on every insert; it outlives old readings."""

    __tablename__ = "reading_rollup"
    probe_id: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    slot: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    count: Mapped[int]
    at_sum: Mapped[float]
    temp_sum: Mapped[float]
    low_c: Mapped[float] = mapped_column(REAL)
    high_c: Mapped[float] = mapped_column(REAL)


class Station(Stamped, Base):
    """A thermometer station that delivers readings by itself; its token is kept as a hash only."""

    __tablename__ = "station"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(80), unique=True)
    token_hash: Mapped[str] = mapped_column(String(64), unique=True)
    seen_at: Mapped[datetime | None]
    channels: Mapped[list[Channel]] = relationship(
        back_populates="station", order_by="Channel.name, Channel.from_at", cascade="all, delete-orphan"
    )


class Channel(Base):
    """Where a station's channel sat from when to when: its readings of that time are that probe's."""

    __tablename__ = "channel"
    id: Mapped[int] = mapped_column(primary_key=True)
    station_id: Mapped[int] = mapped_column(ForeignKey("station.id", ondelete="CASCADE"), index=True)
    name: Mapped[str] = mapped_column(String(40))
    probe_id: Mapped[int] = mapped_column(ForeignKey("probe.id", ondelete="CASCADE"), index=True)
    from_at: Mapped[datetime]
    until_at: Mapped[datetime | None]
    calibration: Mapped[dict[str, Any]] = mapped_column(default=dict)
    station: Mapped[Station] = relationship(back_populates="channels")
    probe: Mapped[Probe] = relationship()


class LessonRow(Base):
    """What the twin learned from one finished piece; `facts` tells whether the cook has been edited since."""

    __tablename__ = "lesson"
    piece_id: Mapped[int] = mapped_column(ForeignKey("piece.id", ondelete="CASCADE"), primary_key=True)
    cooker_id: Mapped[int | None] = mapped_column(ForeignKey("cooker.id", ondelete="CASCADE"), index=True)
    cut: Mapped[str] = mapped_column(String(30))
    facts: Mapped[str] = mapped_column(String(64))
    body: Mapped[dict[str, Any]]
    made_at: Mapped[datetime] = mapped_column(server_default=func.now())


class LogFile(Stamped, Base):
    """A logger file as it came, its column mapping, and how far its import is."""

    __tablename__ = "log_file"
    __table_args__ = (Index("uq_log_file_trial_sha", "trial_id", "sha256", unique=True),)
    id: Mapped[int] = mapped_column(primary_key=True)
    trial_id: Mapped[int] = mapped_column(ForeignKey("trial.id", ondelete="CASCADE"), index=True)
    name: Mapped[str] = mapped_column(String(255))
    sha256: Mapped[str] = mapped_column(String(64))
    size: Mapped[int] = mapped_column(BigInteger)
    content: Mapped[bytes] = mapped_column(LargeBinary, deferred=True)
    mapping: Mapped[dict[str, Any]] = mapped_column(default=dict)
    state: Mapped[str] = mapped_column(String(20), default="new")
    done_share: Mapped[float] = mapped_column(default=0.0)
    outcome: Mapped[dict[str, Any]] = mapped_column(default=dict)
    trial: Mapped[Trial] = relationship(back_populates="log_files")


class Event(Stamped, Base):
    """Something done, at a time, to a piece, an arm or its cooker."""

    __tablename__ = "event"
    id: Mapped[int] = mapped_column(primary_key=True)
    trial_id: Mapped[int] = mapped_column(ForeignKey("trial.id", ondelete="CASCADE"), index=True)
    arm_id: Mapped[int] = mapped_column(ForeignKey("arm.id", ondelete="CASCADE"), index=True)
    piece_id: Mapped[int | None] = mapped_column(ForeignKey("piece.id", ondelete="CASCADE"))
    kind: Mapped[str] = mapped_column(String(20))
    at: Mapped[datetime]
    wrap_in: Mapped[str] = mapped_column(String(10), default="")
    temp_c: Mapped[float | None]
    minutes: Mapped[float | None]
    amount_kg: Mapped[float | None]
    note: Mapped[str] = mapped_column(default="")
    client_id: Mapped[str | None] = mapped_column(String(40), unique=True)
    trial: Mapped[Trial] = relationship(back_populates="events")
    arm: Mapped[Arm] = relationship()
    piece: Mapped[Piece | None] = relationship()


class Look(Stamped, Base):
    """What was seen and felt at one check."""

    __tablename__ = "look"
    id: Mapped[int] = mapped_column(primary_key=True)
    trial_id: Mapped[int] = mapped_column(ForeignKey("trial.id", ondelete="CASCADE"), index=True)
    piece_id: Mapped[int] = mapped_column(ForeignKey("piece.id", ondelete="CASCADE"), index=True)
    at: Mapped[datetime]
    bark: Mapped[str] = mapped_column(String(10), default="")
    colour: Mapped[str] = mapped_column(String(80), default="")
    pull_back_mm: Mapped[float | None]
    note: Mapped[str] = mapped_column(default="")
    client_id: Mapped[str | None] = mapped_column(String(40), unique=True)
    trial: Mapped[Trial] = relationship(back_populates="looks")
    piece: Mapped[Piece] = relationship()
    spots: Mapped[list[Spot]] = relationship(
        lazy="selectin", back_populates="look", order_by="Spot.id", cascade="all, delete-orphan"
    )


class Spot(Base):
    """A handheld reading, a feel, or both, at one place during a look."""

    __tablename__ = "spot"
    id: Mapped[int] = mapped_column(primary_key=True)
    look_id: Mapped[int] = mapped_column(ForeignKey("look.id", ondelete="CASCADE"), index=True)
    place: Mapped[str] = mapped_column(String(60))
    temp_c: Mapped[float | None]
    feel: Mapped[str] = mapped_column(String(10), default="")
    look: Mapped[Look] = relationship(back_populates="spots")


class Cutting(Stamped, Base):
    """What the cook saw and measured of a piece when it was cut; empty where it was not looked at."""

    __tablename__ = "cutting"
    id: Mapped[int] = mapped_column(primary_key=True)
    piece_id: Mapped[int] = mapped_column(ForeignKey("piece.id", ondelete="CASCADE"), unique=True)
    bend: Mapped[str] = mapped_column(String(20), default="")
    pull: Mapped[str] = mapped_column(String(20), default="")
    squeeze: Mapped[str] = mapped_column(String(20), default="")
    bark_colour: Mapped[str] = mapped_column(String(20), default="")
    bark_firm: Mapped[str] = mapped_column(String(20), default="")
    fat: Mapped[str] = mapped_column(String(20), default="")
    ring_mm: Mapped[float | None]
    slice_mm: Mapped[float | None]
    note: Mapped[str] = mapped_column(default="")
    piece: Mapped[Piece] = relationship(back_populates="cutting")


class Panellist(Stamped, Base):
    __tablename__ = "panellist"
    __table_args__ = (UniqueConstraint("trial_id", "name"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    trial_id: Mapped[int] = mapped_column(ForeignKey("trial.id", ondelete="CASCADE"), index=True)
    name: Mapped[str] = mapped_column(String(80))
    blind: Mapped[bool] = mapped_column(default=False)
    preferred_arm_id: Mapped[int | None] = mapped_column(ForeignKey("arm.id", ondelete="SET NULL"))
    remark: Mapped[str] = mapped_column(default="")
    trial: Mapped[Trial] = relationship(back_populates="panellists")
    preferred_arm: Mapped[Arm | None] = relationship()
    scores: Mapped[list[Score]] = relationship(
        lazy="selectin", back_populates="panellist", cascade="all, delete-orphan"
    )


class Score(Base):
    __tablename__ = "score"
    __table_args__ = (CheckConstraint("value BETWEEN 1 AND 9", name="value"),)
    panellist_id: Mapped[int] = mapped_column(ForeignKey("panellist.id", ondelete="CASCADE"), primary_key=True)
    arm_id: Mapped[int] = mapped_column(ForeignKey("arm.id", ondelete="CASCADE"), primary_key=True)
    attribute: Mapped[str] = mapped_column(String(20), primary_key=True)
    value: Mapped[int]
    panellist: Mapped[Panellist] = relationship(back_populates="scores")


class Photo(Stamped, Base):
    """A photo of the cook, made smaller, with nothing in it but the picture."""

    __tablename__ = "photo"
    id: Mapped[int] = mapped_column(primary_key=True)
    trial_id: Mapped[int] = mapped_column(ForeignKey("trial.id", ondelete="CASCADE"), index=True)
    arm_id: Mapped[int | None] = mapped_column(ForeignKey("arm.id", ondelete="CASCADE"))
    at: Mapped[datetime]
    note: Mapped[str] = mapped_column(default="")
    view: Mapped[str] = mapped_column(String(12), default="")
    spans_mm: Mapped[float | None]
    client_id: Mapped[str | None] = mapped_column(String(40), unique=True)
    content: Mapped[bytes] = mapped_column(LargeBinary, deferred=True)
    arm: Mapped[Arm | None] = relationship()


class Protocol(Stamped, Base):
    """A protocol kept to be cooked again: what each arm gets, without pieces, dates and places."""

    __tablename__ = "protocol"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(80), unique=True)
    body: Mapped[dict[str, Any]]


class Revision(Base):
    """The earlier values of a row that was edited or deleted, with who did it and when."""

    __tablename__ = "revision"
    id: Mapped[int] = mapped_column(primary_key=True)
    table_name: Mapped[str] = mapped_column(String(40))
    row_id: Mapped[int]
    trial_id: Mapped[int | None] = mapped_column(index=True)
    action: Mapped[str] = mapped_column(String(10))
    earlier: Mapped[dict[str, Any]]
    at: Mapped[datetime] = mapped_column(server_default=func.now())
    person_id: Mapped[int | None]


class VerdictLink(Stamped, Base):
    """A link by which anybody may read a trial's verdict, until it is withdrawn; its token is kept as a hash only."""

    __tablename__ = "verdict_link"
    id: Mapped[int] = mapped_column(primary_key=True)
    trial_id: Mapped[int] = mapped_column(ForeignKey("trial.id", ondelete="CASCADE"), index=True)
    token_hash: Mapped[str] = mapped_column(String(64), unique=True)
    given_to: Mapped[str] = mapped_column(String(80), default="")
    withdrawn_at: Mapped[datetime | None]
