"""Sound as samples: measured, and cut without a click. Knows neither speech nor mixes."""
