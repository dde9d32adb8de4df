"""What other pages say of the demo."""
