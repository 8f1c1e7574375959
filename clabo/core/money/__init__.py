"""What was spent, what it brought, and where the next euro goes."""
