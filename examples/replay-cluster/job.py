"""Replays the parts of a log on the machines of a Spark cluster, and adds up what they come to.

spark-submit job.py TOOL TABLE OUT PART...

TOOL is the path of `vivid-lane` and TABLE that of the table file, on every machine; OUT is a file of the driver. A PART is a path that
every machine has, or, where it names a scheme such as `s3a://`, whatever Spark reads, wildcards included. The mapper is
`replay --partial`, the reducer `replay --merge --partial`: neither order nor grouping matters to it.
"""

import pathlib
import subprocess
import sys

from pyspark import SparkContext


def call(tool, table, arguments, stdin=b""):
    """The line that the tool prints; its complaint is that of the task."""
    done = subprocess.run([tool, "--table", table, "replay", *arguments], input=stdin, capture_output=True)
    if done.returncode != 0:
        raise RuntimeError(done.stderr.decode(errors="replace"))
    return done.stdout


def main(tool, table, out, parts):
    context = SparkContext(appName="replay")
    if "://" in parts[0]:
        logs = context.binaryFiles(",".join(parts), len(parts))
        partial = logs.map(lambda part: call(tool, table, ["--partial", "-"], part[1]))
    else:
        logs = context.parallelize(parts, len(parts))
        partial = logs.map(lambda part: call(tool, table, ["--partial", part]))
    merged = partial.treeReduce(lambda one, other: call(tool, table, ["--merge", "--partial", "-"], one + other))
    pathlib.Path(out).write_bytes(merged)
    context.stop()


if __name__ == "__main__":
    main(*sys.argv[1:4], sys.argv[4:])
