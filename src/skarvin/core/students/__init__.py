"""Who is who: identifiers in the form in which they are compared, and the pairing of two gradebooks' students."""
