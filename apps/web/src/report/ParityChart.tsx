import type { Parity } from '@dimetra/core';
import { useComputedColorScheme } from '@mantine/core';
import ReactApexChart from 'react-apexcharts';

// The package is CommonJS: the bundler hands over the module, with the component inside.
const Chart = (ReactApexChart as unknown as { default?: typeof ReactApexChart }).default ?? ReactApexChart;

/** RMS distance in every pose and morph, worst first: where the loss is. */
export function ParityChart({ parity }: { parity: Parity }) {
  const scheme = useComputedColorScheme('dark');
  const rows = [
    ...parity.shape.poses.map((row) => ({ ...row, sort: 'pose' })),
    ...parity.shape.morphs.map((row) => ({ ...row, sort: 'morph' })),
  ]
    .sort((a, b) => b.rmsMm - a.rmsMm)
    .slice(0, 40);
  const ink = scheme === 'dark' ? '#a3adb4' : '#4f5a62';
  return (
    <section className="card" aria-label="Distance from the source, worst forty poses and morphs">
      <Chart
        type="bar"
        height={230}
        series={[
          { name: 'RMS, mm', data: rows.map((row) => Number(row.rmsMm.toFixed(3))) },
          { name: '99 %, mm', data: rows.map((row) => Number(row.p99Mm.toFixed(3))) },
        ]}
        options={{
          chart: {
            toolbar: { show: false },
            animations: { enabled: false },
            background: 'transparent',
            fontFamily: 'Instrument Sans Variable',
            foreColor: ink,
          },
          theme: { mode: scheme },
          colors: scheme === 'dark' ? ['#5cbaa6', '#285a52'] : ['#17695a', '#a5d3c8'],
          plotOptions: { bar: { columnWidth: '72%' } },
          dataLabels: { enabled: false },
          grid: { borderColor: scheme === 'dark' ? '#2d363e' : '#cdc7b6' },
          xaxis: {
            categories: rows.map((row) => row.name),
            labels: { rotate: -55, rotateAlways: true, style: { fontSize: '10px' }, trim: true, maxHeight: 90 },
            axisTicks: { show: false },
          },
          yaxis: { title: { text: 'millimetres' }, decimalsInFloat: 2 },
          legend: { position: 'top', horizontalAlign: 'right' },
          tooltip: { theme: scheme },
        }}
      />
    </section>
  );
}
