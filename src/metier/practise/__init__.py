"""The whole evening with the stand-in printer, command by command.

All of it is in `evening`.
"""
