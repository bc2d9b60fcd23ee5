"""The rules of the job and all computation. Knows no Flask, no SQLAlchemy, no I/O and no clock."""
