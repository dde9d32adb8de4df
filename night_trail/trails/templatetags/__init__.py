"""What other pages say of trails."""
