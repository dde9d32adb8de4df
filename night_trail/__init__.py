"""Night Trail: from an unfamiliar table to a tale that others can walk."""
