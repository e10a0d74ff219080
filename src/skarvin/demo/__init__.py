"""The demo: the Tidewrack School of Boatbuilding moves its apprentices' marks to the registry. All of it is made up."""
