// The machine that node runs on.

import * as fs from "node:fs";
import { randomBytes } from "node:crypto";
import { dirname, join } from "node:path";

/** How an operating system says it. */
const SAID = {
  EACCES: "Permission denied",
  EBUSY: "Device or resource busy",
  EEXIST: "File exists",
  EFBIG: "File too large",
  EINVAL: "Invalid argument",
  EIO: "Input/output error",
  EISDIR: "Is a directory",
  ELOOP: "Too many levels of symbolic links",
  EMFILE: "Too many open files",
  ENAMETOOLONG: "File name too long",
  ENOENT: "No such file or directory",
  ENOSPC: "No space left on device",
  ENOTDIR: "Not a directory",
  ENOTEMPTY: "Directory not empty",
  EPERM: "Operation not permitted",
  EROFS: "Read-only file system",
  EXDEV: "Invalid cross-device link",
};

/** Calls a function of node, whose errors are told as the tool tells them. */
const plainly = (call) => {
  try {
    return call();
  } catch (error) {
    if (SAID[error.code]) error.message = `${SAID[error.code]} (os error ${-error.errno})`;
    throw error;
  }
};

/** Waits a little, for a pipe that is full or a terminal where nothing has been typed. */
const rest = () => Atomics.wait(new Int32Array(new SharedArrayBuffer(4)), 0, 0, 5);

export class Disk {
  #print;

  /** What is printed goes to the streams of the process, or to a function. */
  constructor(print = write) {
    this.#print = print;
  }

  read(path) {
    return plainly(() => fs.readFileSync(path));
  }

  input() {
    const room = Buffer.alloc(1 << 16);
    for (;;) {
      try {
        return room.subarray(0, fs.readSync(0, room));
      } catch (error) {
        if (error.code === "EOF") return new Uint8Array();
        if (error.code !== "EAGAIN") throw error;
        rest();
      }
    }
  }

  isFile(path) {
    return fs.statSync(path, { throwIfNoEntry: false })?.isFile() ?? false;
  }

  here() {
    return process.cwd();
  }

  entries(folder) {
    const kind = (entry) => (entry.isSymbolicLink() ? "l" : entry.isDirectory() ? "d" : entry.isFile() ? "f" : "o");
    return plainly(() => fs.readdirSync(folder, { withFileTypes: true }).map((entry) => kind(entry) + entry.name));
  }

  /** Whole or not at all. */
  save(path, bytes) {
    plainly(() => {
      const beside = join(dirname(path), `.tmp${randomBytes(6).toString("hex")}`);
      fs.writeFileSync(beside, bytes, { flag: "wx" });
      try {
        fs.renameSync(beside, path);
      } catch (error) {
        fs.rmSync(beside, { force: true });
        throw error;
      }
    });
  }

  create(path) {
    plainly(() => fs.writeFileSync(path, ""));
  }

  append(path, bytes) {
    plainly(() => fs.appendFileSync(path, bytes));
  }

  rename(from, to) {
    plainly(() => fs.renameSync(from, to));
  }

  createFolders(path) {
    plainly(() => fs.mkdirSync(path, { recursive: true }));
  }

  print(stream, bytes) {
    this.#print(stream, bytes);
  }
}

/** Writes all of it, whatever the stream takes at a time. */
function write(stream, bytes) {
  for (let at = 0; at < bytes.length; ) {
    try {
      at += fs.writeSync(stream, bytes, at);
    } catch (error) {
      if (error.code !== "EAGAIN") throw error;
      rest();
    }
  }
}
