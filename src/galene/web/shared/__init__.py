"""What every feature uses: visits, forms, the frame, parts of pages."""
