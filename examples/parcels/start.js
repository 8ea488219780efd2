/** Starts the parcel service: node examples/parcels/start.js. Settings: PORT (4230), DATABASE_URL, REDIS_URL, HOOK_KEY. */
import { createJiti } from 'jiti'
import { listen } from 'yosei/node'

const jiti = createJiti(import.meta.url, { fsCache: false })
const { openServices } = await jiti.import('./services.ts')
const { makeService } = await jiti.import('./service.ts')
const { PORT = '4230', DATABASE_URL, REDIS_URL, HOOK_KEY = 'known to both' } = process.env
const outside = await openServices(HOOK_KEY, DATABASE_URL, REDIS_URL)
const server = await listen(makeService(outside), { port: Number(PORT) })
console.log(`The parcel service: ${server.url}`)
for (const signal of ['SIGINT', 'SIGTERM'])
  process.once(signal, async () => {
    await server.close()
    await outside.close()
    process.exit(0)
  })
