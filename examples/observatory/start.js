/**
 * Starts the observatory: node examples/observatory/start.js. Its settings are in the environment: PORT (4210, or the next
 * that is free), DATABASE_URL, REDIS_URL, DATA (the folder of the database in this process), JOURNAL.
 */
import { createJiti } from 'jiti'

const { start } = await createJiti(import.meta.url, { fsCache: false }).import('./server/start.ts')
const { PORT, DATABASE_URL, REDIS_URL, DATA, JOURNAL } = process.env
const settings = {
  databaseUrl: DATABASE_URL,
  redisUrl: REDIS_URL,
  folder: DATA,
  journal: JOURNAL,
  port: PORT === undefined ? 4210 : Number(PORT),
  orNext: PORT === undefined,
}
const { url, close } = await start(settings).catch((error) => {
  console.error(`The observatory could not start: ${error.message || error.code}`)
  process.exit(1)
})
console.log(`The observatory: ${url}`)
for (const signal of ['SIGINT', 'SIGTERM'])
  process.once(signal, async () => {
    await close()
    process.exit(0)
  })
