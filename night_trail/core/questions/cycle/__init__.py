"""How a measure runs through the day, the week or the year."""
