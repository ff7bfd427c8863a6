"""What is known about a printer with a material: growth, edges, layers, bond; and the population of all printers."""
