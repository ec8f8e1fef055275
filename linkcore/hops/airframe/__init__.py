"""Airframe: does the board sit as it believes, and is the pack what it says?"""
