"""Pages of tales: ``writing`` for their owner, ``links`` to pass them on, ``walking`` for readers."""
