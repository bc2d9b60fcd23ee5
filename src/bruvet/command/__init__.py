"""The `bruvet` command: one module per thing it starts or prints."""


class Refusal(Exception):
    """Something the person can mend; its text is the one clear line they get."""
