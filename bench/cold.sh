#!/usr/bin/env bash
# The first save and the first load of a process: compiled as it runs (JIT), compiled ahead with the compiler at hand (ReadyToRun), and compiled
# ahead for good (NativeAOT). Prints the median of five processes each, in milliseconds.
set -euo pipefail
cd "$(dirname "$0")/.."
out=$(mktemp -d)
trap 'rm -rf "$out"' EXIT

publish() {
    local name=$1
    shift
    dotnet publish tests/Lodrik.AotSmoke -c Release -r linux-x64 -o "$out/$name" -v q -p:RunAnalyzers=false "$@" >/dev/null
}

publish JIT --self-contained false -p:PublishAot=false
publish ReadyToRun --self-contained false -p:PublishAot=false -p:PublishReadyToRun=true
publish NativeAOT
printf '%-11s %-7s %-5s %10s %10s %10s %10s\n' compiled form store 'first save' 'later' 'first load' 'later'
for name in JIT ReadyToRun NativeAOT; do
    for form in Json Binary; do
        for how in cold warm; do
            for _ in 1 2 3 4 5; do
                "$out/$name/Lodrik.AotSmoke" first $form $how
            done | python3 -c "
import statistics, sys
rows = [[float(one) for one in line.split()] for line in sys.stdin]
print('%-11s %-7s %-5s %10.2f %10.2f %10.2f %10.2f' % ('$name', '$form', '$how', *map(statistics.median, zip(*rows))))"
        done
    done
done
