"""readings in rooms of a quarter each, and a roll-up of 30 seconds that every insert keeps up"""

from alembic import op

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None

ROLL = """
    INSERT INTO reading_rollup AS kept (probe_id, slot, count, at_sum, temp_sum, low_c, high_c)
    SELECT probe_id, slot, count(*), sum(epoch - slot * 30.0::float8), sum(temp_c::float8), min(temp_c), max(temp_c)
    FROM (SELECT probe_id, temp_c, date_part('epoch', at) AS epoch,
                 floor(date_part('epoch', at) / 30)::int AS slot FROM {source}) AS fresh
    GROUP BY probe_id, slot
    ORDER BY probe_id, slot
    ON CONFLICT (probe_id, slot) DO UPDATE SET
        count = kept.count + excluded.count, at_sum = kept.at_sum + excluded.at_sum,
        temp_sum = kept.temp_sum + excluded.temp_sum,
        low_c = least(kept.low_c, excluded.low_c), high_c = greatest(kept.high_c, excluded.high_c)
"""


def upgrade() -> None:
    op.execute("ALTER TABLE arm DROP CONSTRAINT ck_arm_letter")
    op.execute("ALTER TABLE arm ADD CONSTRAINT ck_arm_letter CHECK (letter ~ '^[A-H]$')")
    op.execute("ALTER TABLE reading RENAME TO reading_whole")
    op.execute("ALTER TABLE reading_whole RENAME CONSTRAINT pk_reading TO pk_reading_whole")
    op.execute(
        """
        CREATE TABLE reading (
            probe_id integer NOT NULL, at timestamptz NOT NULL, temp_c real NOT NULL,
            CONSTRAINT pk_reading PRIMARY KEY (probe_id, at)
        ) PARTITION BY RANGE (at)
        """
    )
    op.execute("CREATE TABLE reading_other PARTITION OF reading DEFAULT")
    op.execute(
        """
        CREATE TABLE reading_rollup (
            probe_id integer NOT NULL, slot integer NOT NULL, count integer NOT NULL,
            at_sum float8 NOT NULL, temp_sum float8 NOT NULL, low_c real NOT NULL, high_c real NOT NULL,
            CONSTRAINT pk_reading_rollup PRIMARY KEY (probe_id, slot)
        )
        """
    )
    # A quarter's room is made by the first insert that needs one. Readings that came before it stay with the others.
    op.execute(
        """
        CREATE FUNCTION make_reading_room(moment timestamptz) RETURNS void LANGUAGE plpgsql AS $$
        DECLARE
            begins timestamptz := date_trunc('quarter', moment AT TIME ZONE 'UTC') AT TIME ZONE 'UTC';
            ends timestamptz := (date_trunc('quarter', moment AT TIME ZONE 'UTC') + interval '3 months')
                AT TIME ZONE 'UTC';
            room text := 'reading_' || to_char(begins AT TIME ZONE 'UTC', 'YYYY"q"Q');
        BEGIN
            IF to_regclass(room) IS NOT NULL THEN RETURN; END IF;
            PERFORM pg_advisory_xact_lock(hashtext('make_reading_room'));
            IF to_regclass(room) IS NOT NULL OR EXISTS (SELECT FROM reading_other WHERE at >= begins AND at < ends) THEN
                RETURN;
            END IF;
            EXECUTE format('CREATE TABLE %I (LIKE reading INCLUDING ALL)', room);
            EXECUTE format('ALTER TABLE reading ATTACH PARTITION %I FOR VALUES FROM (%L) TO (%L)', room, begins, ends);
        END $$
        """
    )
    op.execute(
        f"""
        CREATE FUNCTION roll_up_readings() RETURNS trigger LANGUAGE plpgsql AS $$
        BEGIN {ROLL.format(source="incoming")}; RETURN NULL; END $$
        """
    )
    quarters = "(SELECT DISTINCT date_trunc('quarter', at) FROM reading_whole) AS q(quarter)"
    op.execute(f"SELECT make_reading_room(quarter) FROM {quarters}")
    op.execute("INSERT INTO reading SELECT * FROM reading_whole")
    op.execute(ROLL.format(source="reading_whole"))
    op.execute("DROP TABLE reading_whole")
    op.execute(
        """
        CREATE TRIGGER readings_are_rolled_up AFTER INSERT ON reading
        REFERENCING NEW TABLE AS incoming FOR EACH STATEMENT EXECUTE FUNCTION roll_up_readings()
        """
    )
    op.execute(
        """
        CREATE OR REPLACE FUNCTION forget_readings() RETURNS trigger LANGUAGE plpgsql AS $$
        BEGIN
            DELETE FROM reading WHERE probe_id = OLD.id;
            DELETE FROM reading_rollup WHERE probe_id = OLD.id;
            RETURN OLD;
        END $$
        """
    )


def downgrade() -> None:
    op.execute("ALTER TABLE arm DROP CONSTRAINT ck_arm_letter")
    op.execute("ALTER TABLE arm ADD CONSTRAINT ck_arm_letter CHECK (letter ~ '^[A-F]$')")
    op.execute("CREATE TABLE reading_whole (LIKE reading)")
    op.execute("INSERT INTO reading_whole SELECT * FROM reading")
    op.execute("DROP TABLE reading")
    op.execute("ALTER TABLE reading_whole RENAME TO reading")
    op.execute("ALTER TABLE reading ADD CONSTRAINT pk_reading PRIMARY KEY (probe_id, at)")
    op.execute("DROP FUNCTION roll_up_readings, make_reading_room")
    op.execute("DROP TABLE reading_rollup")
    op.execute(
        """
        CREATE OR REPLACE FUNCTION forget_readings() RETURNS trigger LANGUAGE plpgsql AS $$
        BEGIN
            DELETE FROM reading WHERE probe_id = OLD.id;
            RETURN OLD;
        END $$
        """
    )
