"""own questions, how samples were served, what was seen at cutting, pictures to scale, links, a trial's uid"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None

MOMENT = sa.DateTime(timezone=True)
WORDS = ("bend", "pull", "squeeze", "bark_colour", "bark_firm", "fat")


def stamped() -> tuple[sa.Column, ...]:
    return (
        sa.Column("created_at", MOMENT, nullable=False, server_default=sa.func.now()),
        sa.Column("created_by", sa.Integer, sa.ForeignKey("person.id", ondelete="SET NULL")),
    )


def upgrade() -> None:
    op.add_column(
        "trial",
        sa.Column("uid", sa.String(36), nullable=False, unique=True, server_default=sa.text("gen_random_uuid()::text")),
    )
    op.add_column("sample", sa.Column("piece_id", sa.Integer, sa.ForeignKey("piece.id", ondelete="SET NULL")))
    op.add_column("sample", sa.Column("served_c", sa.Float))
    op.add_column("sample", sa.Column("since_cut_min", sa.Float))
    op.add_column("ballot", sa.Column("how", sa.String(10), nullable=False, server_default="phone"))
    op.add_column("photo", sa.Column("view", sa.String(12), nullable=False, server_default=""))
    op.add_column("photo", sa.Column("spans_mm", sa.Float))
    op.create_table(
        "question_set",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.String(60), nullable=False, unique=True),
        sa.Column("body", JSONB, nullable=False),
        *stamped(),
    )
    op.create_table(
        "cutting",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("piece_id", sa.Integer, sa.ForeignKey("piece.id", ondelete="CASCADE"), nullable=False, unique=True),
        *(sa.Column(name, sa.String(20), nullable=False) for name in WORDS),
        sa.Column("ring_mm", sa.Float),
        sa.Column("slice_mm", sa.Float),
        sa.Column("note", sa.Text, nullable=False),
        *stamped(),
    )
    op.create_table(
        "verdict_link",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("trial_id", sa.Integer, sa.ForeignKey("trial.id", ondelete="CASCADE"), nullable=False, index=True),
        sa.Column("token_hash", sa.String(64), nullable=False, unique=True),
        sa.Column("given_to", sa.String(80), nullable=False),
        sa.Column("withdrawn_at", MOMENT),
        *stamped(),
    )


def downgrade() -> None:
    for table in ("verdict_link", "cutting", "question_set"):
        op.drop_table(table)
    for table, column in (
        ("photo", "spans_mm"),
        ("photo", "view"),
        ("ballot", "how"),
        ("sample", "since_cut_min"),
        ("sample", "served_c"),
        ("sample", "piece_id"),
        ("trial", "uid"),
    ):
        op.drop_column(table, column)
