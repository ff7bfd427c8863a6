"""The strips round the picture: project, printer and stops above, mechanisms and sizes left, ruler and verdicts below."""
