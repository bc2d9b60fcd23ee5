"""The blueprint of the curves' pages, which their several modules hang their addresses on."""

from flask import Blueprint

blueprint = Blueprint(
    "curves", __name__, template_folder="templates", static_folder="static", static_url_path="/curves-static"
)
