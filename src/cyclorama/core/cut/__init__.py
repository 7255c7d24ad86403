"""The cut: takes in order with holds, titles, fades and sound; from a document to pictures and samples."""
