"""Numerics that answers share: arrays in, arrays or small values out, no columns and no words."""
