"""What is remembered: typed SQLAlchemy models, queries, migrations."""
