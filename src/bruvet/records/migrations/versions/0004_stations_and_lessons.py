"""stations that deliver readings, where their channels sit, and what the twin learned from each finished piece"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "station",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.String(80), nullable=False, unique=True),
        sa.Column("token_hash", sa.String(64), nullable=False, unique=True),
        sa.Column("seen_at", sa.DateTime(timezone=True)),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False, server_default=sa.func.now()),
        sa.Column("created_by", sa.Integer, sa.ForeignKey("person.id", ondelete="SET NULL")),
    )
    op.create_table(
        "channel",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column(
            "station_id", sa.Integer, sa.ForeignKey("station.id", ondelete="CASCADE"), nullable=False, index=True
        ),
        sa.Column("name", sa.String(40), nullable=False),
        sa.Column("probe_id", sa.Integer, sa.ForeignKey("probe.id", ondelete="CASCADE"), nullable=False, index=True),
        sa.Column("from_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("until_at", sa.DateTime(timezone=True)),
    )
    op.create_table(
        "lesson",
        sa.Column("piece_id", sa.Integer, sa.ForeignKey("piece.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("cooker_id", sa.Integer, sa.ForeignKey("cooker.id", ondelete="CASCADE"), index=True),
        sa.Column("cut", sa.String(30), nullable=False),
        sa.Column("facts", sa.String(64), nullable=False),
        sa.Column("body", JSONB, nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False, server_default=sa.func.now()),
    )


def downgrade() -> None:
    for table in ("lesson", "channel", "station"):
        op.drop_table(table)
