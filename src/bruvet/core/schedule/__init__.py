"""The cook day, worked out from when it is to be served."""
