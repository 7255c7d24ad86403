# A studio for a team; docs/team.md says how to run it.
FROM docker.io/library/python:3.12-slim

COPY . /opt/cyclorama
RUN pip install --no-cache-dir --only-binary :all: -c /opt/cyclorama/constraints.txt /opt/cyclorama \
 && rm -r /opt/cyclorama \
 && useradd --uid 1000 studio \
 && install -d -o studio /data

USER studio
# compiled kernels are kept beside the data, so that a new container does not compile them again
ENV XDG_DATA_HOME=/data XDG_CACHE_HOME=/data/cache
VOLUME /data
EXPOSE 8765
HEALTHCHECK --start-period=60s CMD ["python", "-c", "import socket; socket.create_connection(('127.0.0.1', 8765), 5)"]
ENTRYPOINT ["cyclorama"]
CMD ["run", "--host", "0.0.0.0", "--no-open", "--data", "/data/studio"]
