"""Where people work: a server for editors. Arguments in, what the core found out; it decides nothing itself."""
