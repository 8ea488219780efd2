/** Forms with files, part by part. */
import { spawnSync } from 'node:child_process'
import { readdirSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { expect, test } from '@jest/globals'
import { endpoint, file, intake, integer, list, record, serve, text } from 'yosei'

const _told = (verdict: { outcome: string; errors?: readonly { address: string; code: string; message: string }[] }) =>
  verdict.errors?.map(({ address, code, message }) => `${address} ${code}: ${message}`)

test('files of a verdict that is held go with the process', () => {
  const program = `import { endpoint, file, intake, judge, record } from 'yosei'
    import { readdirSync } from 'node:fs'
    import { tmpdir } from 'node:os'
    const save = endpoint('POST /', { body: { 'multipart/form-data': record({ plate: file() }) } })
    const head = 'POST / HTTP/1.1\\r\\nContent-Type: multipart/form-data; boundary=x\\r\\n\\r\\n'
    const part = '--x\\r\\nContent-Disposition: form-data; name="plate"; filename="a"\\r\\n\\r\\nxyz\\r\\n--x--\\r\\n'
    globalThis.held = await judge(intake({ endpoints: { save } }), head + part)
    const mine = readdirSync(tmpdir()).filter((name) => name.startsWith('upload-' + process.pid + '-'))
    console.log(JSON.stringify([held.outcome, mine]))`
  const { stdout, stderr } = spawnSync(process.execPath, ['--input-type=module', '-e', program], { timeout: 10_000 })
  expect(String(stderr)).toBe('')
  const [outcome, during] = JSON.parse(String(stdout)) as [string, string[]]
  expect([outcome, during.length > 0]).toEqual(['accepted', true])
  expect(readdirSync(tmpdir()).filter((name) => during.includes(name))).toEqual([])
})

test('the texts of a form with files are taken to the last byte of their limit', async () => {
  const upload = endpoint('POST /', {
    limits: { body: '100B' },
    body: { 'multipart/form-data': record({ note: text(), plate: file({ bytes: '1kB', optional: true }) }) },
  })
  const handle = serve(intake({ endpoints: { upload } }), { upload: () => 'kept' })
  const send = async (length: number) => {
    const body = new FormData()
    body.append('note', 'x'.repeat(length))
    return (await handle(new Request('http://kr.example/', { method: 'POST', body }))).status
  }
  // The name counts too.
  expect([await send(96), await send(97)]).toEqual([200, 413])
})

test('a file that no field of a form takes is an unlisted name, however long it is', async () => {
  const upload = endpoint('POST /', {
    limits: { body: '1kB' },
    body: { 'multipart/form-data': record({ note: text(), plate: file({ bytes: '9kB', optional: true }) }) },
  })
  const handle = serve(intake({ endpoints: { upload } }), { upload: () => 'kept' })
  const body = new FormData()
  body.append('note', 'x')
  body.append('other', new Blob(['x'.repeat(5000)]), 'other.bin')
  const response = await handle(new Request('http://kr.example/', { method: 'POST', body }))
  expect([response.status, await response.json()]).toMatchObject([
    422,
    { fields: { 'body.other': [{ code: 'unlisted' }] } },
  ])
})

test('a part of a form that is JSON by its field or its type is read as that', async () => {
  const upload = endpoint('POST /', {
    body: {
      'multipart/form-data': record({
        size: record({ x: integer() }),
        marks: list(integer()),
        any: integer({ coerce: false }),
      }),
    },
  })
  const handle = serve(intake({ endpoints: { upload } }), { upload: ({ body }) => body as never })
  const send = async (size: string) => {
    const body = new FormData()
    body.append('size', size)
    for (const mark of ['1', '2']) body.append('marks', mark)
    body.append('any', new Blob(['7'], { type: 'application/json' }))
    return (await handle(new Request('http://kr.example/', { method: 'POST', body }))).json()
  }
  expect(await send('{"x":1}')).toEqual({ size: { x: 1 }, marks: [1, 2], any: 7 })
  expect(await send('{"x":"1"}')).toMatchObject({ fields: { 'body.size.x': [{ code: 'wrong_type' }] } })
})

test('JSON in a part that has the name of a file is held to the limit of texts', async () => {
  const upload = endpoint('POST /', {
    limits: { body: '1kB' },
    body: {
      'multipart/form-data': record({
        plate: file({ bytes: '1MB', optional: true }),
        meta: record({ title: text({ length: [0, 9000] }) }),
      }),
    },
  })
  const handle = serve(intake({ endpoints: { upload } }), { upload: () => 'kept' })
  const send = async (length: number) => {
    const body = new FormData()
    body.append('meta', new Blob([JSON.stringify({ title: 'x'.repeat(length) })], { type: 'application/json' }), 'blob')
    return (await handle(new Request('http://kr.example/', { method: 'POST', body }))).status
  }
  expect([await send(100), await send(5000)]).toEqual([200, 413])
})

test('a form without a chosen file is accepted if the file is optional', async () => {
  const upload = endpoint('POST /', {
    body: { 'multipart/form-data': record({ plate: file({ bytes: '1MB', optional: true }), name: text() }) },
  })
  const handle = serve(intake({ endpoints: { upload } }), { upload: ({ body }) => Object.keys(body) })
  const body = new FormData()
  body.append('plate', new File([], '', { type: 'application/octet-stream' }))
  body.append('name', 'kr')
  const response = await handle(new Request('http://kr.example/', { method: 'POST', body }))
  expect([response.status, await response.json()]).toEqual([200, ['name']])
})
