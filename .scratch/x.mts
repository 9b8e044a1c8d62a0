import { cardOf } from '../core/test/helpers/check';
import { settings } from '../core/test/helpers/plan';
console.log(cardOf('declarative-seed', settings())['network-config']);
