"""A worker: runs queued jobs of the database at DATABASE_URL until told to stop."""

import os

from .jobs import work_forever

if __name__ == "__main__":
    work_forever(os.environ["DATABASE_URL"])
