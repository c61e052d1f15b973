"""The site model, part by part, and the site file it is written as."""
