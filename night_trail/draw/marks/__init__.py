"""What stands for rows: a mark, lit and unlit, and the lines and bars many shapes share."""
