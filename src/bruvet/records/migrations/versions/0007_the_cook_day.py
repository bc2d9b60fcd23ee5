"""the cook day: entries from phones, photos, the board, watches, calls answered, invites, calibration"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None

MOMENT = sa.DateTime(timezone=True)


def stamped() -> list[sa.Column]:  # type: ignore[type-arg]
    return [
        sa.Column("created_at", MOMENT, nullable=False, server_default=sa.func.now()),
        sa.Column("created_by", sa.Integer, sa.ForeignKey("person.id", ondelete="SET NULL")),
    ]


def of_trial() -> sa.Column:  # type: ignore[type-arg]
    return sa.Column("trial_id", sa.Integer, sa.ForeignKey("trial.id", ondelete="CASCADE"), nullable=False, index=True)


def upgrade() -> None:
    for table in ("event", "look"):
        op.add_column(table, sa.Column("client_id", sa.String(40)))
        op.create_unique_constraint(f"uq_{table}_client_id", table, ["client_id"])
    for table, name in (("channel", "calibration"), ("trial", "watching"), ("trial", "stand_in")):
        op.add_column(table, sa.Column(name, JSONB, nullable=False, server_default=sa.text("'{}'::jsonb")))
    op.create_table(
        "photo",
        sa.Column("id", sa.Integer, primary_key=True),
        of_trial(),
        sa.Column("arm_id", sa.Integer, sa.ForeignKey("arm.id", ondelete="CASCADE")),
        sa.Column("at", MOMENT, nullable=False),
        sa.Column("note", sa.Text, nullable=False),
        sa.Column("client_id", sa.String(40), unique=True),
        sa.Column("content", sa.LargeBinary, nullable=False),
        *stamped(),
    )
    op.create_table(
        "told",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("arm_id", sa.Integer, sa.ForeignKey("arm.id", ondelete="CASCADE"), nullable=False, index=True),
        sa.Column("made_at", MOMENT, nullable=False),
        sa.Column("body", JSONB, nullable=False),
    )
    op.create_table(
        "board",
        sa.Column("trial_id", sa.Integer, sa.ForeignKey("trial.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("made_at", MOMENT, nullable=False),
        sa.Column("body", JSONB, nullable=False),
    )
    op.create_table(
        "watch",
        sa.Column("id", sa.Integer, primary_key=True),
        of_trial(),
        sa.Column("key", sa.String(120), nullable=False),
        sa.Column("kind", sa.String(30), nullable=False),
        sa.Column("letter", sa.String(1), nullable=False),
        sa.Column("level", sa.String(10), nullable=False),
        sa.Column("words", JSONB, nullable=False),
        *(sa.Column(name, MOMENT, nullable=False) for name in ("began_at", "fired_at", "last_at")),
        *(sa.Column(name, MOMENT) for name in ("ended_at", "snoozed_until", "seen_at", "told_at")),
    )
    op.create_index(
        "uq_watch_open", "watch", ["trial_id", "key"], unique=True, postgresql_where=sa.text("ended_at IS NULL")
    )
    op.create_table(
        "answer",
        sa.Column("id", sa.Integer, primary_key=True),
        of_trial(),
        sa.Column("key", sa.String(120), nullable=False),
        sa.Column("kind", sa.String(20), nullable=False),
        sa.Column("letter", sa.String(1), nullable=False),
        sa.Column("ask", sa.Text, nullable=False),
        sa.Column("said", sa.String(12), nullable=False),
        sa.Column("note", sa.Text, nullable=False),
        sa.Column("until_at", MOMENT),
        sa.Column("at", MOMENT, nullable=False),
        *stamped(),
    )
    op.create_table(
        "invite",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("token_hash", sa.String(64), nullable=False, unique=True),
        sa.Column("expires_at", MOMENT, nullable=False),
        sa.Column("used_by", sa.Integer, sa.ForeignKey("person.id", ondelete="SET NULL")),
        *stamped(),
    )


def downgrade() -> None:
    for table in ("invite", "answer", "watch", "board", "told", "photo"):
        op.drop_table(table)
    for table, name in (("channel", "calibration"), ("trial", "watching"), ("trial", "stand_in")):
        op.drop_column(table, name)
    for table in ("event", "look"):
        op.drop_column(table, "client_id")
