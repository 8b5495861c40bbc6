// A backup as it lies on a disk: a first line that says what it is, then the dump, signed by this installation's key and,
// if a passphrase is given, encrypted (scrypt, AES-256-GCM). Read and written a piece at a time.
import { Buffer } from 'node:buffer';
import {
  createCipheriv,
  createDecipheriv,
  createHash,
  createHmac,
  randomBytes,
  scryptSync,
  timingSafeEqual,
} from 'node:crypto';
import {
  closeSync,
  existsSync,
  fstatSync,
  mkdirSync,
  openSync,
  readFileSync,
  readSync,
  rmSync,
  writeFileSync,
  writeSync,
} from 'node:fs';
import { join } from 'node:path';
import { Told } from './setup.mjs';

const PIECE = 1 << 20;
const KIND = 'cellmend-backup 1';
/** Memory-hard enough to make guessing a passphrase dear: 64 MiB. */
const SCRYPT = { N: 1 << 16, r: 8, p: 1, maxmem: 96 << 20 };

/** The key of this installation, made the first time. */
export function installationKey(folder) {
  const file = join(folder, 'backup-key');
  mkdirSync(folder, { recursive: true });
  if (!existsSync(file)) writeFileSync(file, randomBytes(32).toString('hex'), { mode: 0o600 });
  return Buffer.from(readFileSync(file, 'utf8').trim(), 'hex');
}
const nameOf = (key) => createHash('sha256').update('cellmend key').update(key).digest('hex').slice(0, 16);

function* pieces(fd, from = 0) {
  const buffer = Buffer.alloc(PIECE);
  for (let at = from, n; (n = readSync(fd, buffer, 0, PIECE, at)) > 0; at += n) yield buffer.subarray(0, n);
}

/** Puts a dump into a backup file that only its owner can read. */
export function seal(dump, file, key, { passphrase = '', at = new Date() } = {}) {
  const salt = randomBytes(16);
  const iv = randomBytes(12);
  const cipher = passphrase
    ? createCipheriv('aes-256-gcm', scryptSync(passphrase, salt, 32, SCRYPT), iv)
    : null;
  const body = `${file}.part`;
  const [from, to] = [openSync(dump, 'r'), openSync(body, 'w', 0o600)];
  const hmac = createHmac('sha256', key);
  const put = (piece) => {
    hmac.update(piece);
    writeSync(to, piece);
  };
  try {
    for (const piece of pieces(from)) put(cipher ? cipher.update(piece) : piece);
    if (cipher) put(cipher.final());
  } finally {
    closeSync(from);
    closeSync(to);
  }
  const head = {
    kind: KIND,
    at: at.toISOString(),
    by: nameOf(key),
    cipher: cipher
      ? { salt: salt.toString('hex'), iv: iv.toString('hex'), tag: cipher.getAuthTag().toString('hex') }
      : null,
  };
  hmac.update(JSON.stringify(head));
  // Whoever could read an older file of this name shall not read this one.
  rmSync(file, { force: true });
  const [out, sealed] = [openSync(file, 'wx', 0o600), openSync(body, 'r')];
  try {
    writeSync(out, `${JSON.stringify({ ...head, sum: hmac.digest('hex') })}\n`);
    for (const piece of pieces(sealed)) writeSync(out, piece);
  } finally {
    closeSync(out);
    closeSync(sealed);
    rmSync(body, { force: true });
  }
}

/**
 * Takes the dump out of a backup file.
 * @param elsewhere take it although this installation did not sign it.
 * @throws Told, before anything is written, where it is none, not ours, or not whole.
 */
export function unseal(file, dump, key, { passphrase = '', elsewhere = false } = {}) {
  const from = openSync(file, 'r');
  try {
    const first = Buffer.alloc(4096);
    const end = first.subarray(0, readSync(from, first, 0, first.length, 0)).indexOf(10);
    let head = null;
    try {
      head = JSON.parse(first.subarray(0, Math.max(0, end)).toString('utf8'));
    } catch {
      // told below
    }
    if (head?.kind !== KIND)
      throw new Told(`${file} is no backup of Bold Cellmend, or of a later version. Nothing was changed.`);
    const { sum, ...said } = head;
    const ours = said.by === nameOf(key);
    if (!ours && !elsewhere)
      throw new Told(
        `${file} was made by another installation. If it is meant, add --from-elsewhere: it is then trusted as it is. Nothing was changed.`,
      );
    if (ours) {
      const hmac = createHmac('sha256', key);
      for (const piece of pieces(from, end + 1)) hmac.update(piece);
      const right = hmac.update(JSON.stringify(said)).digest();
      const given = Buffer.from(String(sum), 'hex');
      if (given.length !== right.length || !timingSafeEqual(given, right))
        throw new Told(`${file} is not as it was written: cut off or changed. Nothing was changed.`);
    }
    if (said.cipher && !passphrase)
      throw new Told(
        `${file} is encrypted: give its passphrase in CELLMEND_PASSPHRASE. Nothing was changed.`,
      );
    const decipher = said.cipher
      ? createDecipheriv(
          'aes-256-gcm',
          scryptSync(passphrase, Buffer.from(said.cipher.salt, 'hex'), 32, SCRYPT),
          Buffer.from(said.cipher.iv, 'hex'),
        ).setAuthTag(Buffer.from(said.cipher.tag, 'hex'))
      : null;
    const to = openSync(dump, 'w', 0o600);
    try {
      for (const piece of pieces(from, end + 1)) writeSync(to, decipher ? decipher.update(piece) : piece);
      if (decipher) writeSync(to, decipher.final());
    } catch {
      throw new Told(`${file} does not open with this passphrase. Nothing was changed.`);
    } finally {
      closeSync(to);
    }
    return { at: said.at, ours, bytes: fstatSync(from).size };
  } finally {
    closeSync(from);
  }
}
