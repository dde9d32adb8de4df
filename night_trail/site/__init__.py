"""The outer shell: settings, addresses, the base page, styles, scripts and fonts."""
