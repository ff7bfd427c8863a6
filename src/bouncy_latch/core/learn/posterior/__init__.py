"""What is believed of a printer, and how outcomes, readings and weights change it (Bayes' rule)."""
