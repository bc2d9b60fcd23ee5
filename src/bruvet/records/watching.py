"""The tables of a cook under way: what was told, how it stands, what was warned of and answered."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import ForeignKey, String
from sqlalchemy.orm import Mapped, mapped_column

from .models import Base, Stamped


class ToldRow(Base):
    """What the twin told of an arm under way from its readings so far; all stay, so that one sees the band narrow."""

    __tablename__ = "told"
    id: Mapped[int] = mapped_column(primary_key=True)
    arm_id: Mapped[int] = mapped_column(ForeignKey("arm.id", ondelete="CASCADE"), index=True)
    made_at: Mapped[datetime]
    body: Mapped[dict[str, Any]]


class Board(Base):
    """Where a trial under way stands, as the watcher last worked it out."""

    __tablename__ = "board"
    trial_id: Mapped[int] = mapped_column(ForeignKey("trial.id", ondelete="CASCADE"), primary_key=True)
    made_at: Mapped[datetime]
    body: Mapped[dict[str, Any]]


class WatchRow(Base):
    """One warning from when it began to when it ended; at most one open of a key in a trial."""

    __tablename__ = "watch"
    id: Mapped[int] = mapped_column(primary_key=True)
    trial_id: Mapped[int] = mapped_column(ForeignKey("trial.id", ondelete="CASCADE"), index=True)
    key: Mapped[str] = mapped_column(String(120))
    kind: Mapped[str] = mapped_column(String(30))
    letter: Mapped[str] = mapped_column(String(1))
    level: Mapped[str] = mapped_column(String(10))
    words: Mapped[dict[str, Any]]
    began_at: Mapped[datetime]
    fired_at: Mapped[datetime]
    last_at: Mapped[datetime]
    ended_at: Mapped[datetime | None]
    snoozed_until: Mapped[datetime | None]
    seen_at: Mapped[datetime | None]
    told_at: Mapped[datetime | None]


class AnswerRow(Stamped, Base):
    """What a person said to a call: accepted, put off or overruled."""

    __tablename__ = "answer"
    id: Mapped[int] = mapped_column(primary_key=True)
    trial_id: Mapped[int] = mapped_column(ForeignKey("trial.id", ondelete="CASCADE"), index=True)
    key: Mapped[str] = mapped_column(String(120))
    kind: Mapped[str] = mapped_column(String(20))
    letter: Mapped[str] = mapped_column(String(1))
    ask: Mapped[str]
    said: Mapped[str] = mapped_column(String(12))
    note: Mapped[str] = mapped_column(default="")
    until_at: Mapped[datetime | None]
    at: Mapped[datetime]
