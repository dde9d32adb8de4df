"""Trails: the tree of steps of an exploration, the cairns left on it, and the desk.

Other applications use ``services`` and ``pictures``.
"""
