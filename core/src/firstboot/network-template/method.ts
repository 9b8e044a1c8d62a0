import type { FirstBootMethod } from '../method';
import { supplicantLacks } from '../lacks';
import { isTemplate, readTemplate } from './reads-back';
import { takeTemplateOver } from './takes-over';
import { writeTemplate } from './writes';

/** A commented text file for networks that the image itself ships. */
export const networkTemplate: FirstBootMethod = {
  id: 'network-template',
  title: 'Network template (the image’s own commented text file)',
  carries: new Set(['networks', 'wpa3', 'wep', 'octets', 'priority', 'country']),
  ownFiles: [],
  looksFor: 'no file with networks behind comment signs was found',

  detect: ({ system: { template } }) =>
    Promise.resolve(template === null ? null : `${template} holds networks behind comment signs.`),

  // The image's own program reads it; what that is made of is not asked.
  inert: ({ template }) =>
    template === null ? 'no text file of its boot partition holds networks behind comment signs' : null,
  lacks: supplicantLacks,

  again: null,
  files: writeTemplate,

  acts({ files }) {
    const template = files.find(isTemplate);
    return template ? `${template.name} is a template for networks.` : null;
  },

  readBack: readTemplate,
  takeOver: takeTemplateOver,
};
