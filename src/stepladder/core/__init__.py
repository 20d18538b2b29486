"""The rules of the job: values in, values out. No Django, no I/O, no clock."""
