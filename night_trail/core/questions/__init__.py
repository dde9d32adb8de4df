"""What can be asked: a room for each kind of question, what they share, and the registry of all."""
