import { compiled, endpointNode, interpretParts, startRun } from './dist/internals.js'
import { cases } from './bench/reference.js'
const { endpoint: declared, body } = cases[process.env.C ?? 2]
const solo = endpointNode(declared)
const good = JSON.parse(JSON.stringify(body))
const {read} = compiled(solo, solo.bodies[0])
for (let k=0;k<4;k++) {
let t = performance.now()
for (let i = 0; i < 100000; i++) interpretParts(solo, solo.bodies[0], { body: good }, startRun(), true)
let a=(performance.now() - t) / 100
 t = performance.now()
for (let i = 0; i < 100000; i++) read(undefined, undefined, undefined, undefined, good, startRun(), true, true)
let b=(performance.now() - t) / 100
console.log(a,b,a/b)
}
