"""The tables of people: accounts, signed-in browsers, invitations."""

from __future__ import annotations

from datetime import datetime

from sqlalchemy import ForeignKey, String, func
from sqlalchemy.orm import Mapped, mapped_column, relationship

from .models import Base, Stamped


class Person(Base):
    __tablename__ = "person"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(80), unique=True)
    password_hash: Mapped[str]
    role: Mapped[str] = mapped_column(String(20), default="owner")
    temp_unit: Mapped[str] = mapped_column(String(1), default="f")
    mass_unit: Mapped[str] = mapped_column(String(2), default="lb")
    theme: Mapped[str] = mapped_column(String(10), default="day")
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())


class SignIn(Base):
    """One signed-in browser; ending the row ends the session."""

    __tablename__ = "sign_in"
    id: Mapped[int] = mapped_column(primary_key=True)
    token_hash: Mapped[str] = mapped_column(String(64), unique=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id", ondelete="CASCADE"), index=True)
    started_at: Mapped[datetime] = mapped_column(server_default=func.now())
    seen_at: Mapped[datetime] = mapped_column(server_default=func.now())
    browser: Mapped[str] = mapped_column(String(200), default="")
    person: Mapped[Person] = relationship()


class SignInFailure(Base):
    __tablename__ = "sign_in_failure"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(80), index=True)
    address: Mapped[str] = mapped_column(String(64), index=True)
    at: Mapped[datetime] = mapped_column(server_default=func.now())


class Invite(Stamped, Base):
    """A link that makes a helper's account; it works once, until it expires."""

    __tablename__ = "invite"
    id: Mapped[int] = mapped_column(primary_key=True)
    token_hash: Mapped[str] = mapped_column(String(64), unique=True)
    expires_at: Mapped[datetime]
    used_by: Mapped[int | None] = mapped_column(ForeignKey("person.id", ondelete="SET NULL"))
