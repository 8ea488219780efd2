import { spawnSync } from 'node:child_process'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { expect, test } from '@jest/globals'

test('the demonstration builds, judges and sends every sample, asks for each page, and ends', () => {
  const root = join(dirname(fileURLToPath(import.meta.url)), '../../..')
  const { status, stdout } = spawnSync(process.execPath, ['examples/observatory/demo.js', '--once'], {
    cwd: root,
    encoding: 'utf8',
  })
  expect(stdout).toMatch(/^65 samples: 16 accepted, 49 rejected, 65 as expected, 0 not as expected$/m)
  expect(stdout).toMatch(/^The pages: \d+ kB, \d+ kB gzipped; Yosei is \d+ % of that$/m)
  expect(stdout.match(/ as expected, 0 not as expected$/gm)).toHaveLength(10)
  expect(status).toBe(0)
})
