"""What users import: functions and values as façades over the rooms below.

Nothing is computed here. A façade's methods call functions that take and give plain values.
"""
