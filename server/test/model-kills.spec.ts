import { amount } from '../../core/test/helpers/soak';
import { modelTest } from './helpers/model';

modelTest('127.61.33', amount('model-kills', 1, 150, 20_261_129), true);
