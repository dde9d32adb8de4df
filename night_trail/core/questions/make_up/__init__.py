"""What makes up a measure: parts of parts, by several categories one within the other."""
