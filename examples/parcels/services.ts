/** PostgreSQL and Redis. Without their URLs: a database in this process, and what was seen in memory. */
import { PGlite } from '@electric-sql/pglite'
import { Pool } from 'pg'
import { createClient } from 'redis'
import type { TurnStore } from 'yosei'
import { memoryTurns } from 'yosei'
import { redisTurns } from 'yosei/redis'
import type { Caller, Depot, Parcel, Services } from './intake.ts'

type Row = { readonly [column: string]: unknown }
export type Query = <T = Row>(sql: string, values?: readonly unknown[]) => Promise<T[]>
export interface Outside extends Services {
  readonly query: Query
  readonly turns: TurnStore
  close(): Promise<void>
}

const schema = `
  create table if not exists callers (key text primary key, name text not null, role text not null);
  create table if not exists depots (
    id text primary key, zone text not null, hours jsonb not null, most int not null, area jsonb
  );
  create table if not exists products (sku text primary key, weight int not null);
  create table if not exists parcels (
    id bigint generated always as identity primary key,
    shipper text not null,
    reference text not null,
    state text not null default 'announced',
    version int not null default 1,
    announced date not null default current_date,
    declared jsonb not null,
    unique (shipper, reference)
  );
  create table if not exists customs (parcel bigint primary key references parcels, declared jsonb not null);
  create table if not exists labels (parcel bigint primary key references parcels, type text not null, sheet jsonb not null, bytes bytea not null);
  create table if not exists pickups (id bigint generated always as identity primary key, depot text not null, at timestamptz not null, parcels jsonb not null);
  create table if not exists tracking (parcel bigint not null references parcels, at timestamptz not null, event text not null, place jsonb);
  create table if not exists tariffs (service text not null, starts date not null, tariff jsonb not null, primary key (service, starts));
`
const demonstration = `
  insert into callers values ('shipper-key', 'lantern-books', 'shipper'), ('other-key', 'harbour-tea', 'shipper'), ('carrier-key', 'heron', 'carrier'), ('operator-key', 'desk', 'operator') on conflict do nothing;
  insert into products values ('tea-green', 250), ('atlas', 1900), ('candle', 400) on conflict do nothing;
  insert into depots values ('north', 'Europe/Vienna', '{"mon": [["08:00", "12:00"], ["13:00", "18:00"]], "sat": [["09:00", "11:00"]]}', 3, null) on conflict do nothing;
`
const hour = 3600

/** @param databaseUrl `postgres://…` @param redisUrl `redis://…` */
export async function openServices(hookKey: string, databaseUrl?: string, redisUrl?: string): Promise<Outside> {
  const { query, close } = databaseUrl === undefined ? await embedded() : pooled(databaseUrl)
  await query(schema)
  await query(demonstration)
  const redis =
    redisUrl === undefined
      ? undefined
      : await createClient({ url: redisUrl })
          .on('error', () => undefined)
          .connect()
  const seen = new Set<string>()
  const numberOf = (id: string) => Number(id.slice(2))
  const parcelsOf = (rows: readonly Row[]) =>
    rows.map((row): Parcel => ({ ...(row as unknown as Parcel), id: `p-${String(row.id).padStart(6, '0')}` }))
  const known = async (ids: readonly string[], caller?: Caller) => {
    const own = caller?.role === 'shipper' ? caller.name : null
    const rows = await query(
      'select * from parcels where id = any($1::bigint[]) and ($2::text is null or shipper = $2)',
      [ids.map(numberOf), own],
    )
    return new Map(parcelsOf(rows).map((one) => [one.id, one]))
  }
  return {
    hookKey,
    query,
    turns: redis ? redisTurns(redis) : memoryTurns(),
    callers: { find: async (key) => (await query<Caller>('select name, role from callers where key = $1', [key]))[0] },
    parcels: {
      known,
      find: async (id, caller) => (await known([id], caller)).get(id),
      async used(shipper, references) {
        const rows = await query<{ id: string; reference: string }>(
          'select id, reference from parcels where shipper = $1 and reference = any($2)',
          [shipper, references],
        )
        return new Map(rows.map(({ id, reference }) => [reference, id]))
      },
    },
    products: {
      async known(skus) {
        const rows = await query<{ sku: string; weight: number }>('select * from products where sku = any($1)', [skus])
        return new Map(rows.map((one) => [one.sku, one]))
      },
    },
    depots: { find: async (id) => (await query<Depot>('select * from depots where id = $1', [id]))[0] },
    replays: {
      async isNew(signature) {
        if (redis) return (await redis.set(`hook:${signature}`, '1', { NX: true, EX: hour })) === 'OK'
        const isNew = !seen.has(signature)
        seen.add(signature)
        return isNew
      },
    },
    async close() {
      await close()
      await redis?.close()
    },
  }
}

async function embedded() {
  const lite = await PGlite.create()
  const query: Query = async <T>(sql: string, values?: readonly unknown[]) =>
    values ? (await lite.query<T>(sql, [...values])).rows : ((await lite.exec(sql)).at(-1)?.rows as T[])
  return { query, close: () => lite.close() }
}
function pooled(connectionString: string) {
  const pool = new Pool({ connectionString, max: 10 }).on('error', () => undefined)
  const query: Query = async <T>(sql: string, values?: readonly unknown[]) => {
    const result = await (values ? pool.query(sql, [...values]) : pool.query(sql))
    return (Array.isArray(result) ? result.at(-1) : result).rows as T[]
  }
  return { query, close: () => pool.end() }
}
