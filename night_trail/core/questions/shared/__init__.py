"""What several kinds of questions have in common."""
