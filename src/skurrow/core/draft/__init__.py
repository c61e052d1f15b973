"""The draft: one part changed, what differs, what a release would change, and the stages of the work."""
