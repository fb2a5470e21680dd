"""Files that users write by hand (TOML), read as input that is not trusted."""
