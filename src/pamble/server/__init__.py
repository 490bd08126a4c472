"""The server: REST for studies, a live socket for each open one. No rules of the job."""
