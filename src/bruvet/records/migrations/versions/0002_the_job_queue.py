"""the job queue: the tables of the queue library, as its pinned version has them"""

from alembic import op
from procrastinate.schema import SchemaManager

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    schema = SchemaManager.get_schema()
    # Not through SQLAlchemy, which would take the colons of casts for parameters.
    raw = op.get_bind().connection.driver_connection
    assert raw is not None
    raw.execute(schema)


def downgrade() -> None:
    raise NotImplementedError("the queue's tables are taken away with the database")
