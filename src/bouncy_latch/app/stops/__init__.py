"""The five stops of the job line, one module each; they share the session and nothing else."""
