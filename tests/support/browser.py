"""A page in headless Chromium: what its script answers, by the browser's own debugging protocol."""

import asyncio
import contextlib
import json
import subprocess
from collections.abc import AsyncIterator
from pathlib import Path
from typing import Any

import aiohttp

WORDS = ["chromium", "--headless", "--no-sandbox", "--disable-gpu", "--window-size=1280,800", "--no-first-run"]


class Page:
    def __init__(self, socket: aiohttp.ClientWebSocketResponse) -> None:
        self._socket = socket
        self._number = 0

    async def send(self, method: str, **values: Any) -> Any:
        self._number += 1
        await self._socket.send_json({"id": self._number, "method": method, "params": values})
        while True:
            answer = json.loads((await self._socket.receive(timeout=60)).data)
            if answer.get("id") == self._number:
                assert "error" not in answer, answer
                return answer["result"]

    async def run(self, script: str) -> Any:
        """What a script comes to, a promise waited for."""
        result = await self.send("Runtime.evaluate", expression=script, awaitPromise=True, returnByValue=True)
        assert "exceptionDetails" not in result, result
        return result["result"].get("value")

    async def open(self, path: Path) -> float:
        """Open a file; the seconds until it is loaded."""
        await self.send("Page.enable")
        await self.send("Page.navigate", url=path.as_uri())
        while not await self.run(
            "document.readyState === 'complete' && location.protocol === 'file:' && performance.timing.loadEventEnd > 0"
        ):
            await asyncio.sleep(0.02)
        return float(await self.run("performance.timing.loadEventEnd - performance.timing.navigationStart")) / 1000


@contextlib.asynccontextmanager
async def browser(profile: Path) -> AsyncIterator[Page]:
    started = subprocess.Popen(
        [*WORDS, "--remote-debugging-port=0", f"--user-data-dir={profile}", "about:blank"],
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
    )
    try:
        port = profile / "DevToolsActivePort"
        for _ in range(600):
            if port.exists() and port.read_text().count("\n"):
                break
            await asyncio.sleep(0.05)
        number = port.read_text().splitlines()[0]
        async with aiohttp.ClientSession() as session:
            async with session.get(f"http://127.0.0.1:{number}/json/list") as listed:
                target = next(each for each in await listed.json() if each["type"] == "page")
            async with session.ws_connect(target["webSocketDebuggerUrl"], max_msg_size=1 << 28) as socket:
                yield Page(socket)
    finally:
        started.kill()
        started.wait()
