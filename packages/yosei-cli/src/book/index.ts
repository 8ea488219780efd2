export { compare, type Expectation } from './expectation.js'
export { placeOf } from './place.js'
export { BookError, type Place, readBook, type Sample } from './read.js'
