"""What one order costs, today and later, exactly and with its reasons."""
