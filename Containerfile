# Ramulus with every extra, and its kernels compiled: `podman build -t ramulus .`, then
# `podman run --rm -v "$PWD:/designs" ramulus check my.toml`. The steps are those of the README and of `.ci/run`.
FROM docker.io/library/python:3.13-slim-bookworm
COPY . /source
RUN python -m pip install --no-cache-dir '/source[excel,parquet,recorded,bench]'
ENV NUMBA_CACHE_DIR=/var/cache/ramulus
RUN ramulus compile && chmod -R a+rwX /var/cache/ramulus
WORKDIR /designs
ENTRYPOINT ["ramulus"]
