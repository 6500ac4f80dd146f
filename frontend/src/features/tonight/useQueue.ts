import { useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useState } from "react";
import { type Queue, sendWhenever, WAITS } from "../../app/waitingQueue";

/** A queue of this device as it stands, sent again whenever there is a signal; all is asked anew once something went. */
export function useQueue<T extends { key: string }>(queue: Queue<T>) {
  const client = useQueryClient();
  const [list, setList] = useState(queue.waiting);
  const send = useCallback(async () => {
    const before = queue.waiting().length;
    try {
      await queue.sendAll();
    } finally {
      setList(queue.waiting());
    }
    if (queue.waiting().length < before) await client.invalidateQueries();
  }, [client, queue]);
  useEffect(() => {
    const sendAgain = () => void send();
    sendAgain();
    const look = () => setList(queue.waiting());
    const stop = sendWhenever(sendAgain, () => queue.waiting().some((one) => !one.refused));
    window.addEventListener(WAITS, look);
    return () => {
      stop();
      window.removeEventListener(WAITS, look);
    };
  }, [queue, send]);
  const say = (entry: T) => {
    queue.put(entry);
    setList(queue.waiting());
    void send();
  };
  const drop = (key: string) => {
    queue.forget(key);
    setList(queue.waiting());
  };
  return { list, say, drop, send };
}
