#!/usr/bin/env bash
# Installs what is asked for from Debian's packages when it is missing: ensure-system.sh postgresql [chromium] [mosquitto-clients]
# Exits 3 with a clear message when it cannot.
set -uo pipefail
missing=()
have_pg() { compgen -G '/usr/lib/postgresql/*/bin/postgres' >/dev/null || command -v postgres >/dev/null; }
have_chromium() { [ -x "${CHROMIUM:-/usr/bin/chromium}" ] || command -v chromium >/dev/null; }
for package in "$@"; do
  case "$package" in
    postgresql) have_pg || missing+=(postgresql) ;;
    chromium) have_chromium || missing+=(chromium) ;;
    nginx) { command -v nginx || [ -x /usr/sbin/nginx ]; } >/dev/null || missing+=(nginx) ;;
    mosquitto-clients) command -v mosquitto_pub >/dev/null || missing+=(mosquitto-clients) ;;
    openssl) command -v openssl >/dev/null || missing+=(openssl) ;;
    *) echo "ensure-system: unknown package $package" >&2; exit 2 ;;
  esac
done
if [ "${#missing[@]}" = 0 ]; then exit 0; fi
echo "installing from Debian: ${missing[*]}"

fail() { echo "Needed and not installed: ${missing[*]} ($1). Install with: apt-get update && apt-get install -y --no-install-recommends ${missing[*]}" >&2; exit 3; }
command -v apt-get >/dev/null || fail "no apt-get on this machine"
sudo=()
if [ "$(id -u)" != 0 ]; then
  if command -v sudo >/dev/null && sudo -n true 2>/dev/null; then sudo=(sudo -n); else fail "not root, and no password-less sudo"; fi
fi
export DEBIAN_FRONTEND=noninteractive
log="$(mktemp)"
# Debian's postgresql-common would create and start a system cluster: keep it from doing so.
if [ ! -e /etc/postgresql-common/createcluster.conf ]; then
  "${sudo[@]}" mkdir -p /etc/postgresql-common
  echo 'create_main_cluster = false' | "${sudo[@]}" tee /etc/postgresql-common/createcluster.conf >/dev/null
fi
"${sudo[@]}" apt-get -o Acquire::Retries=3 -o DPkg::Lock::Timeout=120 update >"$log" 2>&1 || true
"${sudo[@]}" apt-get -o DPkg::Lock::Timeout=120 -o Dpkg::Options::=--force-confold install -y --no-install-recommends "${missing[@]}" >>"$log" 2>&1 \
  || { tail -15 "$log" >&2; fail "apt-get failed, see above"; }
echo "installed: ${missing[*]}"
