"""How good the advice is: printers nobody knows, drawn at random, printed on and counted."""
