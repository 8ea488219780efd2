/** PostgreSQL: in this process where no server is named (PGlite), else over a pool of connections. The same SQL for both. */
import { execFile } from 'node:child_process'
import { existsSync, mkdirSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { promisify } from 'node:util'
import { PGlite } from '@electric-sql/pglite'
import { Pool } from 'pg'
import { migrations } from './schema.ts'

export interface Database {
  rows<T>(sql: string, values?: readonly unknown[]): Promise<T[]>
  close(): Promise<void>
}
export interface DatabaseOptions {
  /** `postgres://…`; in this process by default. */
  readonly url?: string | undefined
  /** Where what is in this process is kept; in memory by default. */
  readonly folder?: string | undefined
}

/** A database with all its tables. */
export async function openDatabase({ url, folder }: DatabaseOptions): Promise<Database> {
  const database = url === undefined ? await embedded(folder) : pooled(url)
  await migrate(database)
  return database
}

async function embedded(folder: string | undefined): Promise<Database> {
  if (folder !== undefined && !existsSync(join(folder, 'PG_VERSION'))) {
    mkdirSync(dirname(folder), { recursive: true })
    const maker = fileURLToPath(new URL('./make-database.js', import.meta.url))
    // Its memory goes with its process.
    await promisify(execFile)(process.execPath, [maker, folder])
  }
  const startParams = [...PGlite.defaultStartParams, '-c', 'shared_buffers=16MB']
  const lite = await PGlite.create({ ...(folder === undefined ? {} : { dataDir: folder }), startParams })
  return {
    rows: async <T>(sql: string, values: readonly unknown[] = []) =>
      values.length > 0 ? (await lite.query<T>(sql, [...values])).rows : ((await lite.exec(sql)).at(-1)?.rows as T[]),
    close: () => lite.close(),
  }
}

function pooled(url: string): Database {
  const pool = new Pool({ connectionString: url, max: 10 })
  // A connection that breaks off while it rests is replaced.
  pool.on('error', () => undefined)
  return {
    async rows<T>(sql: string, values: readonly unknown[] = []) {
      const result = await (values.length > 0 ? pool.query(sql, [...values]) : pool.query(sql))
      return (Array.isArray(result) ? result.at(-1) : result).rows as T[]
    },
    close: () => pool.end(),
  }
}

/** Each step in one transaction, under a lock that all processes share. */
async function migrate({ rows }: Database): Promise<void> {
  for (const [name, sql] of migrations) {
    const quoted = `'${name.replaceAll("'", "''")}'`
    await rows(`do $step$ begin
      perform pg_advisory_xact_lock(20310301);
      create table if not exists migrations (name text primary key, done timestamptz not null default now());
      if not exists (select from migrations where name = ${quoted}) then
        ${sql}
        insert into migrations (name) values (${quoted});
      end if;
    end $step$`)
  }
}
