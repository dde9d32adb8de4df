"""How one column moves with another: scatter plots and their fits."""
