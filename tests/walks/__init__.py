"""Whole jobs of practice, driven through the pages' own forms from intake to the signed report."""
