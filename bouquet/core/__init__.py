"""
The computation. It knows no web, no session, no socket and no clock.
"""
