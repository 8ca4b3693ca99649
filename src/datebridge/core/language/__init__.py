"""What people type and read: filters, typed lines, names of colours."""
