"""kinds of trial, the ledger's own entries, lots, supplies, a day's wishes, protocols"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None


def empty() -> sa.TextClause:
    return sa.text("'{}'::jsonb")


def upgrade() -> None:
    op.add_column("trial", sa.Column("kind", sa.String(20), nullable=False, server_default="one-factor"))
    op.add_column("trial", sa.Column("factor2", sa.String(30), nullable=False, server_default=""))
    op.add_column("trial", sa.Column("first_day_id", sa.Integer))
    op.create_foreign_key("fk_trial_first_day_id", "trial", "trial", ["first_day_id"], ["id"], ondelete="SET NULL")
    op.create_index("ix_trial_first_day_id", "trial", ["first_day_id"])
    op.add_column("trial", sa.Column("begin_at", sa.DateTime(timezone=True)))
    for name in ("sleep_from", "sleep_until"):
        op.add_column("trial", sa.Column(name, sa.String(5), nullable=False, server_default=""))
    for name in ("tolerances", "lots", "supplies", "pins"):
        op.add_column("trial", sa.Column(name, JSONB, nullable=False, server_default=empty()))
    op.add_column("arm", sa.Column("move_to_id", sa.Integer))
    op.create_foreign_key("fk_arm_move_to_id", "arm", "cooker", ["move_to_id"], ["id"], ondelete="SET NULL")
    for name in ("move_at_c", "move_at_min", "move_pit_c"):
        op.add_column("arm", sa.Column(name, sa.Float))
    op.add_column("arm", sa.Column("said", JSONB, nullable=False, server_default=empty()))
    op.add_column("piece", sa.Column("pair", sa.String(20), nullable=False, server_default=""))
    op.add_column("piece", sa.Column("position", sa.String(60), nullable=False, server_default=""))
    op.add_column("event", sa.Column("amount_kg", sa.Float))
    op.create_table(
        "protocol",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.String(80), nullable=False, unique=True),
        sa.Column("body", JSONB, nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False, server_default=sa.func.now()),
        sa.Column("created_by", sa.Integer, sa.ForeignKey("person.id", ondelete="SET NULL")),
    )


def downgrade() -> None:
    op.drop_table("protocol")
    op.drop_column("event", "amount_kg")
    for name in ("pair", "position"):
        op.drop_column("piece", name)
    for name in ("move_to_id", "move_at_c", "move_at_min", "move_pit_c", "said"):
        op.drop_column("arm", name)
    for name in (
        "kind",
        "factor2",
        "first_day_id",
        "begin_at",
        "sleep_from",
        "sleep_until",
        "tolerances",
        "lots",
        "supplies",
        "pins",
    ):
        op.drop_column("trial", name)
