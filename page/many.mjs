// A made-up study of many assets to measure with: node page/many.mjs FOLDER ASSETS YEARS. Weekdays up to the end of 2025;
// sectors that move together; 24 rehearsals, six schedules of four portfolios.
import { mkdirSync, writeFileSync } from "node:fs";
import { join } from "node:path";

const [folder, assets, years] = [process.argv[2], Number(process.argv[3]), Number(process.argv[4])];
const sectors = ["food", "power", "finance", "bonds", "metals", "water", "transport", "timber", "health", "media"];
const codes = Array.from({ length: assets }, (_, i) => `KELP${String(i).padStart(3, "0")}`);

let state = 3; // a small generator, the same everywhere
const uniform = () => {
  state = (state * 1664525 + 1013904223) >>> 0;
  return (state + 0.5) / 2 ** 32;
};
const normal = () => Math.sqrt(-2 * Math.log(uniform())) * Math.cos(2 * Math.PI * uniform());

const days = [];
for (let day = Date.UTC(2026 - years, 0, 1); day < Date.UTC(2026, 0, 1); day += 86_400_000) {
  if (new Date(day).getUTCDay() % 6 !== 0) days.push(new Date(day).toISOString().slice(0, 10));
}
const market = days.map(() => 0.0003 + 0.008 * normal());
const of_sector = sectors.map(() => days.map(() => 0.005 * normal()));
mkdirSync(join(folder, "prices"), { recursive: true });
codes.forEach((code, i) => {
  const [beta, gain, risk] = [0.5 + uniform(), 0.0002 * normal(), 0.008 + 0.012 * uniform()];
  let price = 50;
  const rows = days.map((day, t) => {
    price *= Math.exp(beta * market[t] + of_sector[i % sectors.length][t] + gain + risk * normal());
    return `${day},${price.toFixed(4)}`;
  });
  writeFileSync(join(folder, "prices", `${code}.csv`), `date,close\n${rows.join("\n")}\n`);
});
writeFileSync(join(folder, "tags.csv"), `code,sector\n${codes.map((code, i) => `${code},${sectors[i % sectors.length]}`).join("\n")}\n`);
writeFileSync(join(folder, "mandate.toml"), `[universe]
prices = "prices"
tags = "tags.csv"

[estimate]
every = "1w"
covariance = "constant-correlation"
risk_free = "2%"

[limits]
"each holding" = "each <= 5%"
"sectors" = "every sector <= 25%"

[rehearsal]
split = ${2026 - Math.ceil(years / 2)}-01-01
aims = ["minimum-variance", "maximum-sharpe", "equal", "utility=4"]

[schedules.never]
check = "never"
[schedules.monthly]
check = "1m"
[schedules.quarterly]
check = "1q"
[schedules.yearly]
check = "1y"
[schedules.bands]
check = "band:50%"
[schedules."quarterly with bands"]
check = "1q+band:25%"

[costs.all]
bps = 10
`);
