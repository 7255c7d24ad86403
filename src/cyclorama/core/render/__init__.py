"""Scene → arrays → rays → film: a wavefront path tracer.

`compile_scene` turns a document into arrays and ray-tracing structures, `Tracer` shoots samples of one frame
into a `Film`, `denoise` cleans a film.
"""
