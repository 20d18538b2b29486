"""Packages of other people's content: what their archives and manifests say, and how their run-time data is read."""
