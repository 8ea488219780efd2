import { compiled, endpointNode, interpretParts, startRun } from './dist/internals.js'
import { cases } from './bench/reference.js'
const { endpoint: declared, body } = cases[process.env.C ?? 2]
const solo = endpointNode(declared)
const good = JSON.parse(JSON.stringify(body))
const t = performance.now()
for (let i = 0; i < process.env.N ?? 30000; i++) interpretParts(solo, solo.bodies[0], { body: good }, startRun(), true)
console.log((performance.now() - t) / 30)
