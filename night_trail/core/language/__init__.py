"""Numbers, spans and phrases in words; imports no answer."""
