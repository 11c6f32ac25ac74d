"""What is shown to others: pictures, pages, plots, and differences in words."""
