"""readings go with their probe, by a trigger: a foreign key would be checked for every one of them"""

from alembic import op

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute(
        """
        CREATE FUNCTION forget_readings() RETURNS trigger LANGUAGE plpgsql AS $$
        BEGIN
            DELETE FROM reading WHERE probe_id = OLD.id;
            RETURN OLD;
        END $$
        """
    )
    op.execute(
        "CREATE TRIGGER probe_takes_its_readings AFTER DELETE ON probe FOR EACH ROW EXECUTE FUNCTION forget_readings()"
    )


def downgrade() -> None:
    op.execute("DROP TRIGGER probe_takes_its_readings ON probe")
    op.execute("DROP FUNCTION forget_readings")
