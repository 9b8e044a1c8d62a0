import { amount } from '../../core/test/helpers/soak';
import { modelTest } from './helpers/model';

modelTest('127.61.32', amount('model', 1, 150, 20_261_128), false);
