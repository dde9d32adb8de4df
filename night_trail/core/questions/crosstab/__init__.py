"""Which value of one category goes with which of another: contingency tables."""
