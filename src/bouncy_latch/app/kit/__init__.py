"""What every part of the window is made of: colours and fonts, fields, rows, marks, axes, small pictures. Knows no project."""
