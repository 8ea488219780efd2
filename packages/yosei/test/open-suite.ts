/**
 * Unpacks the open test suite of JSON Schema, as Debian packages it, to where the tests look for it. Says so if it cannot
 * be had: without Debian's tools, or without a network.
 */
import { execFileSync } from 'node:child_process'
import { existsSync, mkdtempSync, readdirSync, renameSync, rmSync } from 'node:fs'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'

const cache = fileURLToPath(new URL('../../../node_modules/.cache/', import.meta.url))
/** Where the suite lies. */
export const suite = join(cache, 'json-schema-suite')

/** Why it cannot be had; `undefined` if it is there. */
export function unpack(): string | undefined {
  if (existsSync(suite)) return undefined
  try {
    execFileSync('mkdir', ['-p', cache])
    const folder = mkdtempSync(join(cache, 'suite-'))
    try {
      const download = () =>
        execFileSync('apt-get', ['download', 'libtest-json-schema-acceptance-perl'], { cwd: folder, stdio: 'pipe' })
      try {
        download()
      } catch {
        // A new machine has no lists of packages.
        execFileSync('apt-get', ['update'], { stdio: 'pipe' })
        download()
      }
      const [archive] = readdirSync(folder)
      execFileSync('dpkg-deb', ['-x', archive as string, 'all'], { cwd: folder, stdio: 'pipe' })
      renameSync(join(folder, 'all/usr/share/perl5/auto/share/dist/Test-JSON-Schema-Acceptance'), suite)
    } finally {
      rmSync(folder, { recursive: true, force: true })
    }
    return undefined
  } catch (error) {
    return String((error as Error).message).split('\n')[0]
  }
}
