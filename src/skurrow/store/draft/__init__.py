"""Sites with their draft and releases, texts of site files, pictures."""
