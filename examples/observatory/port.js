/** Ports that stay from one start to the next, so that a tab that is open still works. */
import { createServer } from 'node:net'

/** The first port that nothing listens on, from 4210 or another on. */
export async function freePort(from = 4210) {
  for (let port = from; port < from + 100; port++) {
    const isFree = await new Promise((known) => {
      const server = createServer()
      server.once('error', () => known(false))
      server.listen(port, '127.0.0.1', () => server.close(() => known(true)))
    })
    if (isFree) return port
  }
  return 0
}
