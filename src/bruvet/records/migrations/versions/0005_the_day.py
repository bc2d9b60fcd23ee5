"""what is wanted of the cook day: when to serve, together how, how sure, how many hands"""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("trial", sa.Column("serve_at", sa.DateTime(timezone=True)))
    op.add_column("trial", sa.Column("together", sa.String(10), nullable=False, server_default="finish"))
    op.add_column("trial", sa.Column("assurance", sa.Float, nullable=False, server_default="0.9"))
    op.add_column("trial", sa.Column("hands", sa.Integer, nullable=False, server_default="1"))
    op.add_column("trial", sa.Column("spritz_every_min", sa.Float))


def downgrade() -> None:
    for name in ("serve_at", "together", "assurance", "hands", "spritz_every_min"):
        op.drop_column("trial", name)
