import { useEffect, useState } from "react";
import { say } from "../../lib/words";
import { Button } from "../../ui/Button";

interface TimerProps {
  id: string;
  minutes: number;
}

/** A timer that goes on while the page is closed: its start is kept on this device. */
export function StepTimer({ id, minutes }: TimerProps) {
  const name = `timer ${id}`;
  const [start, setStart] = useState(() => Number(localStorage.getItem(name)) || null);
  const [now, setNow] = useState(() => Date.now());
  useEffect(() => {
    if (start === null) return;
    const timer = setInterval(() => setNow(Date.now()), 1000);
    return () => clearInterval(timer);
  }, [start]);
  const begin = () => {
    const at = Date.now();
    localStorage.setItem(name, String(at));
    setStart(at);
    setNow(at);
  };
  const left = start === null ? null : Math.max(0, start + minutes * 60_000 - now);
  return (
    <div className="mt-4 flex flex-wrap items-center gap-4">
      <span className="figure text-[26px]" role="timer">
        {left === null ? spanWords(minutes) : countdown(left)}
      </span>
      <Button onClick={begin}>{start === null ? say`Start timer` : say`Restart timer`}</Button>
      {left === 0 && <b>{say`Time is up.`}</b>}
    </div>
  );
}

/** "30 h" or "2 min". */
export function spanWords(minutes: number): string {
  return minutes >= 120 ? `${Math.round(minutes / 60)} h` : say`${minutes} min`;
}

/** "11:59:30" or "1:30". */
export function countdown(ms: number): string {
  const seconds = Math.ceil(ms / 1000);
  const two = (n: number) => String(n).padStart(2, "0");
  const hours = Math.floor(seconds / 3600);
  const minutes = Math.floor((seconds % 3600) / 60);
  return hours ? `${hours}:${two(minutes)}:${two(seconds % 60)}` : `${minutes}:${two(seconds % 60)}`;
}
