"""The tables of blind panels: what was asked and served, every ballot, every answer as it was given."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import ForeignKey, String, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column, relationship

from .models import Arm, Base, Piece, Stamped, Trial


class QuestionSet(Stamped, Base):
    """A set of questions of the kitchen's own, to be asked again."""

    __tablename__ = "question_set"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(60), unique=True)
    body: Mapped[dict[str, Any]]


class Panel(Stamped, Base):
    """One blind tasting. `state` is `draft`, `open`, `closed` or `opened`: only then may anybody know what was what."""

    __tablename__ = "panel"
    id: Mapped[int] = mapped_column(primary_key=True)
    trial_id: Mapped[int] = mapped_column(ForeignKey("trial.id", ondelete="CASCADE"), index=True)
    title: Mapped[str] = mapped_column(String(80))
    join_code: Mapped[str] = mapped_column(String(12), unique=True)
    state: Mapped[str] = mapped_column(String(10), default="draft")
    seed: Mapped[int]
    asks: Mapped[dict[str, Any]] = mapped_column(default=dict)
    envelope_at: Mapped[datetime | None]
    envelope_by: Mapped[int | None] = mapped_column(ForeignKey("person.id", ondelete="SET NULL"))
    trial: Mapped[Trial] = relationship()
    samples: Mapped[list[Sample]] = relationship(
        back_populates="panel", order_by="Sample.number", cascade="all, delete-orphan"
    )
    ballots: Mapped[list[Ballot]] = relationship(
        back_populates="panel", order_by="Ballot.number", cascade="all, delete-orphan"
    )


class Sample(Base):
    """What is tasted: of which arm and piece, which part, a bite or a portion; how warm, how long after cutting."""

    __tablename__ = "sample"
    id: Mapped[int] = mapped_column(primary_key=True)
    panel_id: Mapped[int] = mapped_column(ForeignKey("panel.id", ondelete="CASCADE"), index=True)
    arm_id: Mapped[int] = mapped_column(ForeignKey("arm.id", ondelete="CASCADE"))
    number: Mapped[int]
    part: Mapped[str] = mapped_column(String(60), default="")
    amount: Mapped[str] = mapped_column(String(10), default="bite")
    piece_id: Mapped[int | None] = mapped_column(ForeignKey("piece.id", ondelete="SET NULL"))
    served_c: Mapped[float | None]
    since_cut_min: Mapped[float | None]
    panel: Mapped[Panel] = relationship(back_populates="samples")
    arm: Mapped[Arm] = relationship()
    piece: Mapped[Piece | None] = relationship()


class Ballot(Base):
    """One panellist's way through a panel; `steps` hold which code is which sample and never leave the server."""

    __tablename__ = "ballot"
    __table_args__ = (UniqueConstraint("panel_id", "number"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    panel_id: Mapped[int] = mapped_column(ForeignKey("panel.id", ondelete="CASCADE"), index=True)
    number: Mapped[int]
    token_hash: Mapped[str] = mapped_column(String(64), unique=True)
    name: Mapped[str] = mapped_column(String(80))
    cooked: Mapped[bool] = mapped_column(default=False)
    how: Mapped[str] = mapped_column(String(10), default="phone")
    begun_at: Mapped[datetime]
    sent_at: Mapped[datetime | None]
    late: Mapped[bool] = mapped_column(default=False)
    steps: Mapped[list[Any]] = mapped_column(default=list)
    panel: Mapped[Panel] = relationship(back_populates="ballots")
    answers: Mapped[list[BallotAnswer]] = relationship(
        back_populates="ballot", order_by="BallotAnswer.key", cascade="all, delete-orphan"
    )


class BallotAnswer(Base):
    """One answer as it was given; asked again before sending, the later one counts."""

    __tablename__ = "ballot_answer"
    ballot_id: Mapped[int] = mapped_column(ForeignKey("ballot.id", ondelete="CASCADE"), primary_key=True)
    key: Mapped[str] = mapped_column(String(80), primary_key=True)
    value: Mapped[str]
    at: Mapped[datetime]
    ballot: Mapped[Ballot] = relationship(back_populates="answers")
