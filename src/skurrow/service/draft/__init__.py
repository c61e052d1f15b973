"""The draft: its parts, products and pictures, releases, and the site as a file."""
