"""A site and its draft at the desk: parts, products, releases, the site file, how checkouts are put on the site."""
