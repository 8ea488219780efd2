import { existsSync } from 'node:fs'
import { type Browser, chromium } from 'playwright-core'

/** The system's Chromium if there is one, else the one that a package ships. */
export async function launch(): Promise<Browser> {
  const args = [
    '--no-sandbox',
    '--disable-gpu',
    '--disable-quic',
    '--no-first-run',
    '--disable-background-networking',
    '--disable-component-update',
    '--disable-sync',
  ]
  const system = ['/usr/bin/chromium', '/usr/bin/chromium-browser', '/usr/bin/google-chrome'].find(existsSync)
  if (system) return chromium.launch({ executablePath: system, args })
  const { default: shipped } = await import('@sparticuz/chromium')
  return chromium.launch({ executablePath: await shipped.executablePath(), args: [...shipped.args, ...args] })
}
