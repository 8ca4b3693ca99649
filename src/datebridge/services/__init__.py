"""The use cases: imports, exports, accounts, transfers, mending, editing, staying in step; and the jobs."""
