"""What is sold: stock, prices in words, products as CSV."""
