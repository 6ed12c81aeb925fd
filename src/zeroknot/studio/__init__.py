"""What a person does, a method for each; and the one place where everything is wired together."""
