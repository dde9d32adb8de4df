"""Places on Earth: how they are laid flat, the outlines and the towns that ship, what a name means."""
