#!/bin/sh
# Two workers on hosts of their own (network namespaces on this machine, SSH between them): the
# same bits as in memory, also where one is killed halfway. Needs root, sshd and ip.
#   sh bench/over-network.sh
set -e
work=$(mktemp -d)
chmod 700 "$work"
hosts="ridge-one ridge-two"
leave() {
  set +e
  for host in $hosts; do
    for process in $(ip netns pids "$host" 2>/dev/null); do kill "$process"; done
    ip netns del "$host" 2>/dev/null
    ip link del "$host" 2>/dev/null
  done
  ip link del ridge-bridge 2>/dev/null
  rm -rf "$work"
}
trap leave EXIT
mkdir -p /run/sshd
ssh-keygen -q -t ed25519 -N '' -f "$work/key"
ssh-keygen -q -t ed25519 -N '' -f "$work/host"
ip link add ridge-bridge type bridge
ip addr add 10.91.0.1/24 dev ridge-bridge
ip link set ridge-bridge up
at=10
for host in $hosts; do
  ip netns add "$host"
  ip link add "$host" type veth peer name eth0 netns "$host"
  ip link set "$host" master ridge-bridge up
  ip netns exec "$host" ip addr add "10.91.0.$at/24" dev eth0
  ip netns exec "$host" ip link set eth0 up
  ip netns exec "$host" ip link set lo up
  ip netns exec "$host" /usr/sbin/sshd -h "$work/host" -o "AuthorizedKeysFile=$work/key.pub" \
    -o "PidFile=$work/$host.pid" -o StrictModes=no -o PermitRootLogin=yes -o UsePAM=no -o "ListenAddress=10.91.0.$at"
  at=$((at + 1))
done
sleep 1
RIDGE_KEY="$work/key" Rscript bench/over-network.R 10.91.0.10 10.91.0.11
