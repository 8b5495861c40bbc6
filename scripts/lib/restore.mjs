// Restores a database from a dump. A backup is data: its rows are copied into a schema that our own migrations have made, by a
// role that may add rows and nothing else. No statement, function, trigger, type or right of the file is ever carried out.
import { Buffer } from 'node:buffer';
import { randomBytes } from 'node:crypto';
import {
  closeSync,
  fstatSync,
  mkdtempSync,
  openSync,
  readFileSync,
  readSync,
  rmSync,
  writevSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { client, LEFT_OUT, localProgram, runSql } from './postgres.mjs';
import { Told } from './setup.mjs';

const PIECE = 1 << 20;
/** One row of a table, as text: PostgreSQL holds no value of more. */
const MOST_LINE_BYTES = 2 ** 30;
/** An identity or a number beyond this was written by nobody: it would leave none for the next row. */
const MOST_IDENTITY = 1e15;
const NAME = /^[a-z_][a-z0-9_]{0,62}$/;
const COPY = /^COPY (?:public\.)?("?[a-z0-9_]+"?) \(([^()]*)\) FROM stdin;$/;
const LEDGER = 'schema_migrations';

const broken = (what) => new Told(`The backup cannot be read: ${what}. Nothing was changed.`);
const plainName = (text) => {
  const name = text.trim().replace(/^"(.*)"$/, '$1');
  if (!NAME.test(name)) throw broken('a name in it is none of ours');
  return name;
};

/** Lines of a file, as bytes without their end; a long one is put together once. */
function* linesOf(file) {
  const fd = openSync(file, 'r');
  try {
    const { size } = fstatSync(fd);
    let rest = [];
    let restBytes = 0;
    for (let at = 0; at < size;) {
      const piece = Buffer.alloc(Math.min(PIECE, size - at));
      at += readSync(fd, piece, 0, piece.length, at);
      let from = 0;
      for (let end; (end = piece.indexOf(10, from)) >= 0; from = end + 1) {
        const last = piece.subarray(from, end);
        yield restBytes > 0 ? Buffer.concat([...rest, last]) : last;
        rest = [];
        restBytes = 0;
      }
      if (from === piece.length) continue;
      rest.push(piece.subarray(from));
      restBytes += piece.length - from;
      if (restBytes > MOST_LINE_BYTES) throw broken('a row of it is longer than a row can be');
    }
    if (restBytes > 0) yield Buffer.concat(rest);
  } finally {
    closeSync(fd);
  }
}

/**
 * The rows of a dump, a file a table, in PostgreSQL's text format. `pg_restore` writes the dump out as text without being
 * connected to anything; of that text only the rows of tables are taken, everything else is passed over unread.
 * @returns {{ table: string, columns: string[], file: string }[]}
 */
export function rowsOf(dump, folder) {
  const script = join(folder, 'script');
  localProgram('pg_restore', ['--data-only', '--no-owner', '--no-privileges', `--file=${script}`, dump]);
  const tables = [];
  let open = null;
  const END = Buffer.from('\n');
  const put = (line) => writevSync(open.fd, [line, END]);
  for (const line of linesOf(script)) {
    if (open) {
      if (line.length === 2 && line[0] === 0x5c && line[1] === 0x2e) {
        closeSync(open.fd);
        open = null;
      } else put(line);
      continue;
    }
    if (line.length > 4096 || line[0] !== 0x43) continue;
    const found = COPY.exec(line.toString('utf8'));
    if (!found) continue;
    const table = plainName(found[1]);
    if (tables.some((t) => t.table === table)) throw broken(`it brings ${table} twice`);
    const columns = found[2].split(',').map(plainName);
    const file = join(folder, `rows-${tables.length}`);
    open = { fd: openSync(file, 'wx', 0o600) };
    tables.push({ table, columns, file });
  }
  rmSync(script, { force: true });
  if (open) {
    closeSync(open.fd);
    throw broken('it is cut off');
  }
  return tables;
}

/** Which migrations a dump was written after, in their order. */
function migrationsOf(tables) {
  const ledger = tables.find((t) => t.table === LEDGER);
  if (!ledger || ledger.columns.join() !== 'name') throw broken('it does not say which version wrote it');
  return readFileSync(ledger.file, 'utf8').split('\n').filter(Boolean).sort();
}

/** Tables of a database that our migrations made: their columns, and which others they name. */
function schemaOf(url) {
  const rows = (sql) => JSON.parse(runSql(url, `SELECT coalesce(json_agg(x), '[]') FROM (${sql}) x`).trim());
  const columns = rows(`
    SELECT c.relname AS table, a.attname AS column, a.attidentity <> '' AS identity
    FROM pg_class c JOIN pg_attribute a ON a.attrelid = c.oid
    WHERE c.relnamespace = 'public'::regnamespace AND c.relkind = 'r' AND a.attnum > 0 AND NOT a.attisdropped AND a.attgenerated = ''`);
  const names = rows(`
    SELECT conrelid::regclass::text AS table, confrelid::regclass::text AS needs FROM pg_constraint
    WHERE contype = 'f' AND connamespace = 'public'::regnamespace AND conrelid <> confrelid`);
  const tables = new Map();
  for (const { table, column, identity } of columns) {
    if (!tables.has(table)) tables.set(table, { columns: [], identities: [], needs: [] });
    tables.get(table).columns.push(column);
    if (identity) tables.get(table).identities.push(column);
  }
  for (const { table, needs } of names) tables.get(table).needs.push(needs);
  return tables;
}

/** Tables so that each comes after those it names. */
function inOrder(tables) {
  const order = [];
  const visit = (table) => {
    if (order.includes(table)) return;
    for (const needed of tables.get(table).needs) visit(needed);
    order.push(table);
  };
  for (const table of tables.keys()) visit(table);
  return order;
}

/** All rows of the given tables, one after the other, by a role that may add rows and nothing else. */
function copyRows(url, tables) {
  const script = tables
    .map(
      ({ table, columns, file }) =>
        `\\copy ${table} (${columns.map((c) => `"${c}"`).join(', ')}) FROM '${file}'\n`,
    )
    .join('');
  client('psql', url, ['-X', '-q', '-v', 'ON_ERROR_STOP=1'], { input: script });
}

/** Counters go on above what is there, never by what a file says of them. */
function setCounters(url, schema) {
  const identities = [...schema].flatMap(([table, t]) => t.identities.map((column) => ({ table, column })));
  const most = identities.map(
    ({ table, column }) => `SELECT '${table}' AS t, coalesce(max(${column}), 0)::numeric AS n FROM ${table}`,
  );
  const beyond = runSql(
    url,
    `SELECT t FROM (${most.join(' UNION ALL ')}) x WHERE n > ${MOST_IDENTITY} LIMIT 1`,
  ).trim();
  if (beyond) throw broken(`a number in ${beyond} is none that was ever given`);
  const set = identities.map(
    ({ table, column }) =>
      `SELECT setval(pg_get_serial_sequence('${table}', '${column}'), greatest(1, coalesce(max(${column}), 0)), max(${column}) IS NOT NULL) FROM ${table}`,
  );
  const above = (sequence, query) =>
    `SELECT setval('${sequence}', greatest((${query}), (SELECT start_value FROM pg_sequences WHERE sequencename = '${sequence}')))`;
  const numberIn = (table) =>
    `SELECT coalesce(max(substring(label FROM '([0-9]{1,7})$')::int), 1) FROM ${table}`;
  set.push(above('job_numbers', 'SELECT coalesce(max(number), 1) FROM jobs WHERE number < 10000000'));
  if (schema.has('packs')) set.push(above('pack_numbers', numberIn('packs')));
  if (schema.has('parts')) set.push(above('part_numbers', numberIn('parts')));
  runSql(url, set.join('; '));
}

const onDatabase = (url, name) => Object.assign(new URL(url), { pathname: `/${name}` }).toString();

/**
 * Replaces a database by a dump: rows are copied into a new database whose schema our own migrations made; only when it is whole
 * does it take the place of the old, which goes.
 * @param steps how the schema is made (`migrateTo`) and what follows on the rows (`afterRestore`): `server/src/db/restored`.
 * @param options appRole: who serves, and gets its rights from our own migrations; madeAt: when the backup was made, as it says.
 */
export async function restoreFrom(url, dump, steps, { appRole = '', madeAt = null } = {}) {
  const target = new URL(url).pathname.slice(1);
  const suffix = randomBytes(4).toString('hex');
  const [fresh, old, restorer] = [`${target}_new_${suffix}`, `${target}_old_${suffix}`, `restorer_${suffix}`];
  const admin = onDatabase(url, 'postgres');
  const inside = onDatabase(url, fresh);
  const password = randomBytes(24).toString('hex');
  const folder = mkdtempSync(join(tmpdir(), 'cellmend-restore-'));
  try {
    const tables = rowsOf(dump, folder);
    const names = migrationsOf(tables);
    runSql(
      admin,
      `CREATE ROLE ${restorer} LOGIN NOSUPERUSER NOCREATEDB NOCREATEROLE NOREPLICATION PASSWORD '${password}'; CREATE DATABASE ${fresh}`,
    );
    await steps.migrateTo(inside, names);
    const schema = schemaOf(inside);
    const order = inOrder(schema).filter((t) => t !== LEDGER && !LEFT_OUT.includes(t));
    for (const { table, columns } of tables) {
      const ours = schema.get(table);
      if (!ours || !columns.every((c) => ours.columns.includes(c)))
        throw broken(`${table} is not a table of its version`);
    }
    runSql(
      inside,
      order
        .map(
          (t) =>
            `ALTER TABLE ${t} DISABLE TRIGGER USER; DELETE FROM ${t}; GRANT INSERT ON ${t} TO ${restorer}`,
        )
        .join('; '),
    );
    const as = new URL(inside);
    as.username = restorer;
    as.password = password;
    copyRows(
      as.toString(),
      order.flatMap((table) => tables.find((t) => t.table === table) ?? []),
    );
    runSql(
      inside,
      `${order.map((t) => `ALTER TABLE ${t} ENABLE TRIGGER USER`).join('; ')}; DROP OWNED BY ${restorer}`,
    );
    setCounters(inside, schema);
    await steps.afterRestore(inside, { appRole, madeAt });
    runSql(
      admin,
      `SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = '${target}' AND pid <> pg_backend_pid();
       ALTER DATABASE ${target} RENAME TO ${old};
       ALTER DATABASE ${fresh} RENAME TO ${target}`,
    );
    runSql(admin, `DROP DATABASE ${old} WITH (FORCE)`);
  } finally {
    runSql(admin, `DROP DATABASE IF EXISTS ${fresh} WITH (FORCE); DROP ROLE IF EXISTS ${restorer}`);
    rmSync(folder, { recursive: true, force: true });
  }
}
