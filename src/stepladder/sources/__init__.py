"""Where outside content comes from: watched folders and lists of links."""
