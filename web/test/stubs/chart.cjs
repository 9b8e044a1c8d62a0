/** Chart.js draws on a canvas, which jsdom has not. */
class Chart {
  destroy() {}
}
Chart.register = () => undefined;
Chart.defaults = { font: {} };
module.exports = { Chart };
