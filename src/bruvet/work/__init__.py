"""What pages, commands and jobs all ask for: they bring records, formats and core together, and know no page."""
