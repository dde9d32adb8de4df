"""How far each gets: who goes from stage to stage, how long that takes, and who is lost between."""
