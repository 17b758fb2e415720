FROM debian:stable-slim
RUN apt-get update && apt-get install -y --no-install-recommends git libssl3 && rm -rf /var/lib/apt/lists/* && useradd --create-home checker
COPY artifacts/package/swift-ledger-0.1.0-linux-x64 /opt/swift-ledger
ENV PATH=/opt/swift-ledger:$PATH SWIFT_LEDGER_HOME=/home/checker/ledger
USER checker
WORKDIR /home/checker
