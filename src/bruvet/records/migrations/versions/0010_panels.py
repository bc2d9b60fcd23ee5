"""blind panels: sessions, their samples, ballots, and every answer as it was given"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None

MOMENT = sa.DateTime(timezone=True)


def upgrade() -> None:
    op.create_table(
        "panel",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("trial_id", sa.Integer, sa.ForeignKey("trial.id", ondelete="CASCADE"), nullable=False, index=True),
        sa.Column("title", sa.String(80), nullable=False),
        sa.Column("join_code", sa.String(12), nullable=False, unique=True),
        sa.Column("state", sa.String(10), nullable=False),
        sa.Column("seed", sa.Integer, nullable=False),
        sa.Column("asks", JSONB, nullable=False),
        sa.Column("envelope_at", MOMENT),
        sa.Column("envelope_by", sa.Integer, sa.ForeignKey("person.id", ondelete="SET NULL")),
        sa.Column("created_at", MOMENT, nullable=False, server_default=sa.func.now()),
        sa.Column("created_by", sa.Integer, sa.ForeignKey("person.id", ondelete="SET NULL")),
    )
    op.create_table(
        "sample",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("panel_id", sa.Integer, sa.ForeignKey("panel.id", ondelete="CASCADE"), nullable=False, index=True),
        sa.Column("arm_id", sa.Integer, sa.ForeignKey("arm.id", ondelete="CASCADE"), nullable=False),
        sa.Column("number", sa.Integer, nullable=False),
        sa.Column("part", sa.String(60), nullable=False),
        sa.Column("amount", sa.String(10), nullable=False),
    )
    op.create_table(
        "ballot",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("panel_id", sa.Integer, sa.ForeignKey("panel.id", ondelete="CASCADE"), nullable=False, index=True),
        sa.Column("number", sa.Integer, nullable=False),
        sa.Column("token_hash", sa.String(64), nullable=False, unique=True),
        sa.Column("name", sa.String(80), nullable=False),
        sa.Column("cooked", sa.Boolean, nullable=False),
        sa.Column("begun_at", MOMENT, nullable=False),
        sa.Column("sent_at", MOMENT),
        sa.Column("late", sa.Boolean, nullable=False),
        sa.Column("steps", JSONB, nullable=False),
        sa.UniqueConstraint("panel_id", "number"),
    )
    op.create_table(
        "ballot_answer",
        sa.Column("ballot_id", sa.Integer, sa.ForeignKey("ballot.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("key", sa.String(80), primary_key=True),
        sa.Column("value", sa.Text, nullable=False),
        sa.Column("at", MOMENT, nullable=False),
    )


def downgrade() -> None:
    for table in ("ballot_answer", "ballot", "sample", "panel"):
        op.drop_table(table)
