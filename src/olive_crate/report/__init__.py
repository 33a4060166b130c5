"""Pictures and pages. Needs the extra `report`."""
