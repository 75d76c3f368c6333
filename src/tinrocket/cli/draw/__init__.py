"""Pictures of a command, drawn in processes of their own while it goes on."""
