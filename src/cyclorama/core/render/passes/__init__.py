"""What is shot besides the beauty picture: passes with rays of their own, and the files of all."""
