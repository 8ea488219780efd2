import { readFileSync } from 'node:fs'
import { expect, test } from '@jest/globals'
import { parse } from 'yaml'
import { writeOpenApi } from 'yosei/openapi'
import app from '../intake.ts'

test('openapi.yaml is up to date; if not: npx yosei export examples/observatory/intake.ts -o examples/observatory/openapi.yaml', async () => {
  const { document } = await writeOpenApi(app)
  const file = parse(readFileSync(new URL('../openapi.yaml', import.meta.url), 'utf8'))
  expect(file).toEqual(JSON.parse(JSON.stringify(document)))
})
