"""The report: the whole story for somebody who never saw Nuvik, as PDF pages or as one HTML file."""
