"""the curves: cleaning taken back, which probes a piece is read by, what a stall is taken to be"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("probe", sa.Column("taken_back", JSONB, nullable=False, server_default=sa.text("'[]'::jsonb")))
    op.add_column("piece", sa.Column("read_by", sa.String(80), nullable=False, server_default=""))
    for table in ("trial", "piece"):
        op.add_column(table, sa.Column("stall_by", JSONB, nullable=False, server_default=sa.text("'{}'::jsonb")))


def downgrade() -> None:
    op.drop_column("probe", "taken_back")
    op.drop_column("piece", "read_by")
    for table in ("trial", "piece"):
        op.drop_column(table, "stall_by")
