"""Long work that a worker does piece by piece: with progress, to be stopped, taken up again, and kept."""
