"""Tables as files: reading CSV and XLSX that somebody wrote elsewhere, and writing them."""
