"""The job card: what it holds, what may be entered on it and what becomes of it then."""
