/** A server of a listener, closed when the tests of the file are done. */
import { once } from 'node:events'
import { readdirSync } from 'node:fs'
import { createServer, type RequestListener } from 'node:http'
import type { AddressInfo } from 'node:net'
import { tmpdir } from 'node:os'
import { afterAll } from '@jest/globals'

export const open: { close(): unknown }[] = []
afterAll(async () => {
  for (const one of open) await one.close()
})
/** Its origin. */
export async function started(listener: RequestListener): Promise<string> {
  const server = createServer(listener).listen(0, '127.0.0.1')
  open.push({
    close() {
      server.close()
      server.closeAllConnections()
    },
  })
  await once(server, 'listening')
  return `http://127.0.0.1:${(server.address() as AddressInfo).port}`
}

/** The folders of uploads that this process has made since: others are of one that had its number before. */
export function uploadsFromNow(): () => string[] {
  const all = () => readdirSync(tmpdir()).filter((name) => name.startsWith(`upload-${process.pid}-`))
  const before = new Set(all())
  return () => all().filter((name) => !before.has(name))
}
