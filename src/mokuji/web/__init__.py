"""The pages people see: routes by subject, results of services turned into what a page shows.

No rule of the job lives here, and no query: everything goes through services.
"""
