<h1>Limen</h1>
