import { do_not_optimize, measure } from 'mitata'
import { cases } from './bench/reference.js'
import { compiled, endpointNode, interpretParts, startRun } from './dist/internals.js'

for (const { name, endpoint: declared, body } of cases) {
  const solo = endpointNode(declared)
  const good = JSON.parse(typeof body === 'string' ? body : JSON.stringify(body))
  const fast = compiled(solo, solo.bodies[0]).read
  const a = () => do_not_optimize(fast(undefined, undefined, undefined, undefined, good, startRun(), true, true))
  const b = () => do_not_optimize(interpretParts(solo, solo.bodies[0], { body: good }, startRun(), true))
  const rs = []
  for (let i = 0; i < 7; i++) {
    const { p50: x } = await measure(a, { min_cpu_time: 60e6, min_samples: 12 })
    const { p50: y } = await measure(b, { min_cpu_time: 60e6, min_samples: 12 })
    rs.push([y / x, x, y])
  }
  rs.sort((p, q) => p[0] - q[0])
  console.log(name, rs[3].map((v) => v.toFixed(1)).join(' '))
}
