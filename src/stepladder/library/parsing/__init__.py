"""What is worked out of files. It knows neither models nor settings: it runs in a process of its own (parsing.bounded)."""
