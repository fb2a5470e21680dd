"""The heart of Nuvik, with no interface code.

Values flow the way the user works: Host → Snapshot → Plan → Timeline → Journal.
"""
