# Lumbrel as an image: the program alone, its data in a volume.
#
#   podman build -t lumbrel .
#   podman run -d --name lumbrel --network host -v lumbrel:/data lumbrel
#
# It answers the machine itself, at port 8000 of its loopback: hence the machine's network. To let devices of the house
# in, put a passphrase into a file of the volume and end the line with: --lan --passphrase-file /data/passphrase
# A serial port is handed in with --device /dev/ttyUSB0 --group-add keep-groups.

FROM debian:bookworm-slim AS build
RUN apt-get update -qq && apt-get install -y -qq --no-install-recommends python3 python3-venv
WORKDIR /src
COPY pyproject.toml requirements.lock README.md LICENSE THIRD_PARTY_NOTICES.md ./
COPY lumbrel lumbrel
RUN python3 -m venv /opt/lumbrel \
 && /opt/lumbrel/bin/pip install --no-cache-dir --require-hashes -r requirements.lock \
 && /opt/lumbrel/bin/pip install --no-cache-dir --no-deps --no-build-isolation .

FROM debian:bookworm-slim
RUN apt-get update -qq && apt-get install -y -qq --no-install-recommends python3 \
 && rm -rf /var/lib/apt/lists/* \
 && useradd --system --uid 10001 --home-dir /data lumbrel && install -d -o lumbrel -g lumbrel -m 700 /data
COPY --from=build /opt/lumbrel /opt/lumbrel
USER lumbrel
VOLUME /data
ENV PATH=/opt/lumbrel/bin:$PATH
HEALTHCHECK --interval=30s --timeout=5s --start-period=20s \
  CMD ["python", "-c", "import urllib.request; urllib.request.urlopen('http://127.0.0.1:8000/healthz', timeout=4)"]
ENTRYPOINT ["lumbrel", "serve", "--data", "/data"]
CMD []
