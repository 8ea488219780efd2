/** The command `explain`, as a process. */
import { expect, test } from '@jest/globals'
import { codes } from 'yosei/codes'
import { yosei } from './run.ts'

test.each<[string[], { status: number; stdout?: RegExp; stderr?: RegExp }]>([
  [
    ['above_max'],
    {
      status: 0,
      stdout:
        /^above_max\nThe number, duration or sum is too large\.\n\nfrom +max, below, sumWithin\nstatus +400; in the body 422\nen +must be at most \{limit\}[\s\S]*\nde +darf [\s\S]*\nexample +integer\(\{ max: 5 \}\)\n +5 +passes\n +6 +above_max: must be at most 5; 6 was sent\n$/,
    },
  ],
  [['busy'], { status: 0, stdout: /^busy\n[\s\S]*status +409; too many 503\n(?![\s\S]*example)/ }],
  [
    ['abov_max'],
    {
      status: 2,
      stderr: /^yosei: there is no code abov_max; perhaps it is above_max\. yosei explain lists all codes\n$/,
    },
  ],
])('explain %j', (args, { status, stdout = /^$/, stderr = /^$/ }) => {
  const came = yosei(['explain', ...args])
  expect([came.status, came.stdout, came.stderr]).toEqual([
    status,
    expect.stringMatching(stdout),
    expect.stringMatching(stderr),
  ])
})

test('explain lists each code; as JSON too', () => {
  const { stdout } = yosei(['explain'])
  expect(Object.keys(codes).filter((code) => !new RegExp(`^${code} +\\S`, 'm').test(stdout))).toEqual([])
  expect(stdout.split('\n').filter((line) => line.length > 100)).toEqual([])
  const json = yosei(['explain', 'busy', '--format', 'json'])
  expect(JSON.parse(json.stdout)).toEqual(codes.busy)
})
