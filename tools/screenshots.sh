#!/usr/bin/env bash
# Makes docs/screenshots/ from the demo data: figures as the command draws them,
# terminal pages in a terminal window on a screen of its own.
set -euo pipefail
cd "$(dirname "$0")/.."
here=$PWD
shots=$PWD/docs/screenshots
work=$(mktemp -d)
trap 'rm -rf "$work"; [ -z "${screen:-}" ] || kill "$screen" 2>/dev/null || true' EXIT
mkdir -p "$shots"

missing=()
command -v Xvfb >/dev/null || missing+=(xvfb)
command -v xterm >/dev/null || missing+=(xterm)
command -v import >/dev/null || missing+=(imagemagick)
command -v chromium >/dev/null || missing+=(chromium)
if [ ${#missing[@]} -gt 0 ]; then
  apt-get update -qq
  DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "${missing[@]}" >/dev/null
fi

cp inst/extdata/* "$work/"
ridge=$PWD/ridge
cd "$work"
records="postings.csv --start first_day --end last_day --key observer --as-of 2026-06-30"

"$ridge" active $records --by month --to 2026-06-30 --out t.csv --figure "$shots/active-by-month.png"
"$ridge" active $records --by month --to 2026-06-30 --group station --total --label name --out t.csv \
  --figure "$shots/active-by-station.png"
"$ridge" scaffold $records --by month --to 2026-06-30 --every-period --keep station=Stonebow --keep role=observer --out t.csv \
  --figure "$shots/presence-chart.png"

"$ridge" check instrument_loans.csv --start lent_on --end returned_on --key instrument --end-counts no \
  --as-of 2026-06-30 --out t.csv --figure "$shots/findings.png"

"$ridge" consecutive stake_readings.csv --start read_on --one-day --key stake --as-of 2026-06-30 --out t.csv --figure "$shots/stretches.png"
loans="instrument_loans.csv --start lent_on --end returned_on --key instrument --end-counts no --as-of 2026-06-30"
"$ridge" overlaps $loans --out t.csv --figure "$shots/overlaps.png"
"$ridge" concurrency $loans --capacity 9 --floor 4 --out t.csv --figure "$shots/concurrency.png"

"$ridge" allocate grants.csv --start first_day --end last_day --key grant --amount amount --group funder --by quarter --digits 2 \
  --as-of 2026-06-30 --out t.csv --figure "$shots/allocated.png"
"$ridge" time-within watches.csv --start watch_date --start-clock begin --end-clock finish --key observer --fold kind --group kind --to 2026-06-30 \
  --tz Europe/Vienna --as-of 2026-06-30 --out t.csv --figure "$shots/hours.png"
"$ridge" elapsed faults.csv --start reported --end mended --key fault --tz Europe/Vienna --as-of 2026-06-30 --working --hours 09:00,17:30 \
  --holidays closures.ics --by month --within 24 --out t.csv --figure "$shots/elapsed.png"
"$ridge" movement $records --by quarter --to 2026-06-30 --returns yes --out t.csv --figure "$shots/movement.png"
"$ridge" restated $records --earlier postings_may.csv --earlier-as-of 2026-05-31 --from 2025-06-01 --out t.csv --figure "$shots/restated.png"
"$ridge" cohorts $records --by quarter --from 2022-01-01 --out t.csv --figure "$shots/cohorts.png"

# The report, as a browser shows it.
cp postings.csv postings_june.csv
cp postings_may.csv postings.csv
"$ridge" build --as-of 2026-05-31 --out edition-may --quiet
cp postings_june.csv postings.csv
"$ridge" build --quiet
page() { Rscript "$here/tools/page-shot.R" edition/index.html "$2" "$shots/$1.png" "${3:-}"; }
page report body
page report-question "#at-which-stations" "const p = document.querySelector(\`#at-which-stations .plate\`); p.focus(); p.dispatchEvent(new KeyboardEvent(\`keydown\`, {key: \`End\`})); const s = document.querySelector(\`select\`); s.value = \`station=Whinfell\`; s.dispatchEvent(new Event(\`change\`));"

display=:77
Xvfb $display -screen 0 1280x800x24 >/dev/null 2>&1 &
screen=$!
sleep 2

# shot NAME COMMAND: what a user sees after typing the command.
shot() {
  printf '%s\n' "PATH=$(dirname "$ridge"):\$PATH" "cd $work" "clear" \
    "printf '\$ %s\n' \"\$1\"" "eval \"\$1\"" "touch $work/done" "sleep 30" > "$work/run.sh"
  rm -f "$work/done"
  DISPLAY=$display xterm -geometry 127x39+0+0 -fa 'DejaVu Sans Mono' -fs 12 -bg '#fbfbf8' -fg '#22313f' \
    -e bash "$work/run.sh" "$2" &
  local terminal=$!
  for _ in $(seq 300); do [ -e "$work/done" ] && break; sleep 0.5; done
  [ -e "$work/done" ] || { echo "screenshots: $1 did not come to its end."; exit 1; }
  sleep 1
  DISPLAY=$display import -window root "$shots/$1.png"
  kill $terminal 2>/dev/null || true
  wait $terminal 2>/dev/null || true
}

shot terminal-mistake "ridge active postings.csv --start first_day --end last_day --grup station; ridge active postings.csv --start first_day --end last_day --rule anyday; ridge active postings.csv --start frist_day --end last_day"
shot terminal-explain "ridge explain-count postings.csv --start first_day --end last_day --key observer --on 2026-03-01 --as-of 2026-06-30; ridge roster postings.csv --start first_day --end last_day --key observer --keep station=Stonebow --on 2026-03-01 --as-of 2026-06-30"
shot terminal-versus "ridge versus postings.csv --start first_day --end last_day --key observer --by quarter --from 2024-01-01 --to 2026-06-30 --against year_before --summary --reconcile --as-of 2026-06-30"
shot terminal-demo "ridge demo 2>&1 | tail -n 37"
