import { execFileSync } from 'node:child_process';
import { chmodSync, existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { dumpTo, runSql } from '../../scripts/lib/postgres.mjs';
import { newDatabase } from './harness';

export interface Forgery {
  name: string;
  /** A dump as `dumpTo` writes one. */
  file: string;
  /** Whether a program of it was run. */
  ran: () => boolean;
}

/** What a forger puts into a database before it is dumped; `$RUN$` is where a program is run. */
const FORGED: Record<string, string> = {
  'run_rights replaced': `CREATE OR REPLACE FUNCTION run_rights(role name) RETURNS void LANGUAGE plpgsql AS $f$ BEGIN $RUN$; END $f$`,
  'chain_row replaced, security definer': `CREATE OR REPLACE FUNCTION chain_row() RETURNS trigger LANGUAGE plpgsql SECURITY DEFINER AS $f$ BEGIN $RUN$; RETURN NULL; END $f$`,
  'trigger on people': `CREATE FUNCTION forged_t() RETURNS trigger LANGUAGE plpgsql AS $f$ BEGIN $RUN$; RETURN NEW; END $f$;
    CREATE TRIGGER forged_t BEFORE INSERT OR UPDATE ON people FOR EACH ROW EXECUTE FUNCTION forged_t();
    ALTER TABLE people ENABLE ALWAYS TRIGGER forged_t`,
  'default expression': `CREATE FUNCTION forged_d() RETURNS text LANGUAGE plpgsql AS $f$ BEGIN $RUN$; RETURN ''; END $f$;
    ALTER TABLE settings ADD COLUMN more text DEFAULT forged_d()`,
  'generated column': `CREATE FUNCTION forged_g(text) RETURNS text LANGUAGE plpgsql IMMUTABLE AS $f$ BEGIN IF current_user <> 'nobody' THEN $RUN$; END IF; RETURN ''; END $f$;
    ALTER TABLE clocks ADD COLUMN more text GENERATED ALWAYS AS (forged_g(label)) STORED`,
  'check constraint': `CREATE FUNCTION forged_c(text) RETURNS boolean LANGUAGE plpgsql IMMUTABLE AS $f$ BEGIN $RUN$; RETURN true; END $f$;
    ALTER TABLE people ADD CHECK (forged_c(name))`,
  'index on an expression': `CREATE FUNCTION forged_i(text) RETURNS text LANGUAGE plpgsql IMMUTABLE AS $f$ BEGIN $RUN$; RETURN ''; END $f$;
    CREATE INDEX forged_i ON people (forged_i(name))`,
  cast: `CREATE TYPE forged AS (x text); CREATE FUNCTION forged_cast(forged) RETURNS text LANGUAGE plpgsql AS $f$ BEGIN $RUN$; RETURN ''; END $f$;
    CREATE CAST (forged AS text) WITH FUNCTION forged_cast(forged) AS IMPLICIT; CREATE TABLE forged_rows (x forged); INSERT INTO forged_rows VALUES (ROW('a'))`,
  'event trigger': `CREATE FUNCTION forged_e() RETURNS event_trigger LANGUAGE plpgsql AS $f$ BEGIN $RUN$; END $f$;
    CREATE EVENT TRIGGER forged_e ON ddl_command_end EXECUTE FUNCTION forged_e()`,
  rule: `CREATE FUNCTION forged_r() RETURNS int LANGUAGE plpgsql AS $f$ BEGIN $RUN$; RETURN 1; END $f$;
    CREATE RULE forged_r AS ON INSERT TO settings DO ALSO SELECT forged_r()`,
  'domain with a check': `CREATE FUNCTION forged_m(text) RETURNS boolean LANGUAGE plpgsql AS $f$ BEGIN $RUN$; RETURN true; END $f$;
    CREATE DOMAIN forged_m AS text CHECK (forged_m(VALUE)); CREATE TABLE forged_more (x forged_m); INSERT INTO forged_more VALUES ('a')`,
  'row security': `CREATE FUNCTION forged_s() RETURNS boolean LANGUAGE plpgsql AS $f$ BEGIN $RUN$; RETURN true; END $f$;
    ALTER TABLE people ENABLE ROW LEVEL SECURITY; ALTER TABLE people FORCE ROW LEVEL SECURITY; CREATE POLICY forged_s ON people USING (forged_s())`,
  'materialised view': `CREATE FUNCTION forged_v() RETURNS int LANGUAGE plpgsql AS $f$ BEGIN $RUN$; RETURN 1; END $f$;
    CREATE MATERIALIZED VIEW forged_v AS SELECT forged_v() WITH NO DATA`,
  operator: `CREATE FUNCTION forged_o(text, text) RETURNS boolean LANGUAGE plpgsql AS $f$ BEGIN $RUN$; RETURN true; END $f$;
    CREATE OPERATOR public.= (LEFTARG = text, RIGHTARG = text, FUNCTION = forged_o)`,
  'serial of its own': `CREATE FUNCTION forged_q() RETURNS bigint LANGUAGE plpgsql AS $f$ BEGIN $RUN$; RETURN 1; END $f$;
    ALTER TABLE jobs ALTER COLUMN number SET DEFAULT forged_q()`,
};

/** Texts that a forger writes into the dump itself in place of a statement that copies a table: as long as what stood there. */
const STATEMENTS = [
  'COPY public.settings FROM PROGRAM $P$;',
  'COPY public.settings (name, value) FROM PROGRAM $P$ --',
  '\\! $S$',
  'DO $$ BEGIN $RUN$; END $$;',
];

/**
 * Backups by somebody who means harm, made from a database that is whole.
 * @param ways how often each is written in a way of its own (plain, by EXECUTE, in a condition), each in a backup of its own;
 *   0 for all of them together in one.
 */
export async function forgeries(url: string, folder: string, ways = 0): Promise<Forgery[]> {
  const clean = join(folder, 'clean.dump');
  dumpTo(url, clean);
  // Whoever runs the database writes there.
  const traces = join(folder, 'traces');
  mkdirSync(traces, { recursive: true });
  chmodSync(traces, 0o777);
  chmodSync(folder, 0o755);
  const made: Forgery[] = [];
  const trace = (): { file: string; run: string; program: string } => {
    const file = join(traces, `ran-${made.length}`);
    return { file, program: `touch ${file}`, run: `COPY (SELECT 1) TO PROGRAM 'cat > ${file}'` };
  };
  const kinds = ways === 0 ? { 'all together': Object.values(FORGED).join(';\n') } : FORGED;
  for (let way = 0; way < Math.max(1, ways); way++)
    for (const [name, sql] of Object.entries(kinds)) {
      const { file, run } = trace();
      const inside =
        way % 3 === 0
          ? run
          : way % 3 === 1
            ? `EXECUTE $q$${run}$q$`
            : `IF pg_backend_pid() > 0 THEN EXECUTE $q$${run}$q$; END IF`;
      const forger = await newDatabase();
      try {
        restoreAsItIs(forger.url, clean);
        // What may change nothing may still call what changes something.
        const helper = `CREATE FUNCTION forged_run() RETURNS void LANGUAGE plpgsql AS $h$ BEGIN ${inside}; END $h$`;
        runSql(forger.url, `${helper}; ${sql.replaceAll('$RUN$', 'PERFORM public.forged_run()')}`);
        const dump = join(folder, `forged-${made.length}.dump`);
        dumpTo(forger.url, dump);
        rmSync(file, { force: true });
        made.push({ name: `${name}, ${way}`, file: dump, ran: () => existsSync(file) });
      } finally {
        await forger.drop();
      }
    }
  for (const statement of STATEMENTS) {
    const { file, run, program } = trace();
    const text = statement
      .replaceAll('$RUN$', run)
      .replaceAll('$P$', `'${program}'`)
      .replaceAll('$S$', program);
    const bytes = readFileSync(clean);
    // A statement stands behind its length in four bytes and a sign, lowest byte first.
    const old = /COPY public\.settings \([^)]*\) FROM stdin;\n/.exec(bytes.toString('latin1'))!;
    const lengthAt = old.index - 4;
    const length = Buffer.alloc(4);
    length.writeUInt32LE(text.length);
    const dump = join(folder, `forged-${made.length}.dump`);
    writeFileSync(
      dump,
      Buffer.concat([
        bytes.subarray(0, lengthAt),
        length,
        Buffer.from(text),
        bytes.subarray(old.index + old[0].length),
      ]),
    );
    made.push({ name: `statement ${statement.slice(0, 24)}`, file: dump, ran: () => existsSync(file) });
  }
  return made;
}

/** A forger's own copy, made by PostgreSQL's own program. */
function restoreAsItIs(url: string, dump: string): void {
  const { hostname, port, username, password, pathname } = new URL(url);
  const bin = join(
    '/usr/lib/postgresql',
    execFileSync('ls', ['/usr/lib/postgresql'], { encoding: 'utf8' }).trim().split('\n').at(-1)!,
    'bin',
  );
  execFileSync(
    join(bin, 'pg_restore'),
    [
      '-h',
      hostname,
      '-p',
      port,
      '-U',
      username,
      '-d',
      pathname.slice(1),
      '--no-owner',
      '--no-privileges',
      dump,
    ],
    { env: { ...process.env, PGPASSWORD: password } },
  );
}
