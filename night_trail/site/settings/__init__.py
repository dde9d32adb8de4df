"""Settings: ``production`` is strict, ``demo`` the same over plain HTTP here, ``test`` for tests."""
