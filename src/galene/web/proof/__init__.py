"""Codes, first start, relearn, road test, before against after."""
