using EasyCaravan.Core.Planning;
using NodaTime;

namespace EasyCaravan.Core.Scheduling;

/// <summary>The schedule on simulated time: it jumps from one moment at which something changes to the next.</summary>
internal sealed class Simulation
{
    /// <summary>About how many turns of work and catch-ups are played through: more of either are taken together.</summary>
    private const double MostTurns = 60_000;

    private readonly ForecastScene _scene;
    private readonly Instant _begin;
    private readonly Instant _end;
    private readonly Duration _slice;

    /// <summary>So many catch-ups are played as one that takes as long as they do together.</summary>
    private readonly int _catchUpsTogether;
    private readonly List<Line> _lines;
    private readonly PriorityQueue<Runner, Instant> _due = new();
    private readonly PriorityQueue<Runner, Instant> _ends = new();
    private Instant _now;
    private int _busy;
    private int _unfinished;

    /// <summary>A move on its way.</summary>
    private sealed class Runner(ForecastMove move, Line line)
    {
        public ForecastMove Move { get; } = move;
        public Line Line { get; } = line;
        public Instant Since { get; set; } = move.Since;
        public Duration Left { get; set; } = move.Work;
        public Instant? Began { get; set; }
        public Instant? InStep { get; set; }

        /// <summary>What it did on <see cref="Day"/>, against the limit of a day.</summary>
        public Duration DoneThatDay { get; set; }
        public LocalDate Day { get; set; }
        public Duration Chunk { get; set; }
        public bool IsCopying => InStep is null;
    }

    /// <summary>A service, and how many moves run over it.</summary>
    private sealed class Place(ServiceShare share)
    {
        public string Service { get; } = share.Service;
        public int Running { get; set; }
        public bool IsFull => share.IsFull(Running);
    }

    /// <summary>The moves of one batch that are due, in the order of their turns.</summary>
    private sealed class Line(string batch, Timetable? timetable, OpenHours hours, Place[] places)
    {
        public string Batch { get; } = batch;
        public Timetable? Timetable { get; } = timetable;

        /// <summary>The services that it shares with other batches.</summary>
        public Place[] Places { get; } = places;
        public int Running { get; set; }

        /// <summary>Of those that run, the ones in their first pass.</summary>
        public int RunningFirst { get; set; }
        public bool IsOpen { get; private set; }

        /// <summary>When its hours open or shut next; null: not before the end.</summary>
        public Instant? ChangesAt { get; private set; }
        public PriorityQueue<Runner, (Instant Turn, long Id)> Waiting { get; } = new();
        public int Copying { get; set; }

        /// <summary>The service whose limit of a day lets somebody rest; null: nobody rests.</summary>
        public string? RestsFor { get; set; }
        public Instant? Begins { get; set; }
        public Instant? InStep { get; set; }
        public (Obstacle On, string? Service)? Obstacle { get; set; }
        public Dictionary<(Obstacle On, string? Service), Duration> Spent { get; } = [];
        public List<Interval> Active { get; } = [];

        public Place? Full => Array.Find(Places, p => p.IsFull);

        public void Look(Instant now)
        {
            if (ChangesAt > now)
                return;
            IsOpen = hours.IsOpen(now);
            ChangesAt = IsOpen ? hours.ClosesAt(now) : hours.NextOpening(now);
            // Without a change before the end there is nothing to look for again.
            ChangesAt ??= Instant.MaxValue;
        }
    }

    public Simulation(ForecastScene scene, Instant now, Instant end)
    {
        (_scene, _begin, _now, _end) = (scene, now, now, end);
        var work = scene.Moves.Sum(m => m.Work.TotalSeconds);
        _slice = Duration.Max(scene.TimeSlice, Duration.FromSeconds(work / MostTurns));
        var places = scene.Rules.Shares.Select(share => (share.Batches, Place: new Place(share))).ToList();
        _lines =
        [
            .. scene
                .Moves.Select(m => m.Batch)
                .Distinct()
                .Select(b =>
                {
                    var timetable = scene.Timetables.GetValueOrDefault(b);
                    var own = places.Where(p => p.Batches.Contains(b)).Select(p => p.Place).ToArray();
                    return new Line(b, timetable, OpenHours.Of(timetable, now, end), own);
                }),
        ];
        var catchUps = scene.Moves.Sum(m =>
            scene.Timetables.GetValueOrDefault(m.Batch)?.CatchUpEvery is { } every ? (end - now).TotalSeconds / every.TotalSeconds : 0
        );
        _catchUpsTogether = Math.Max(1, (int)Math.Ceiling(catchUps / MostTurns));
        var lines = _lines.ToDictionary(l => l.Batch);
        foreach (var move in scene.Moves)
        {
            var runner = new Runner(move, lines[move.Batch]);
            if (move.Work > Duration.Zero)
                (_unfinished, runner.Line.Copying) = (_unfinished + 1, runner.Line.Copying + 1);
            else
                runner.InStep = now;
            _due.Enqueue(runner, Instant.Max(now, move.Since));
        }
        Runners = [.. _due.UnorderedItems.Select(i => i.Element)];
    }

    private List<Runner> Runners { get; }

    public Forecast Run()
    {
        while (_unfinished > 0 && NextMoment() is { } moment && moment < _end)
        {
            Account(moment);
            _now = moment;
            while (_ends.TryPeek(out var ended, out var at) && at <= _now)
            {
                _ends.Dequeue();
                End(ended);
            }
            while (_due.TryPeek(out var due, out var at) && at <= _now)
            {
                _due.Dequeue();
                LineUp(due);
            }
            Begin();
        }
        return new Forecast(
            _begin,
            _now,
            Runners.ToDictionary(r => r.Move.Id, r => new MoveForecast(r.Began, r.InStep)),
            _lines.ToDictionary(
                l => l.Batch,
                l => new BatchForecast(
                    l.Begins,
                    l.Copying == 0 ? l.InStep ?? _begin : null,
                    [.. l.Spent.OrderByDescending(s => s.Value).Select(s => new TimeSpent(s.Key.On, s.Key.Service, s.Value))],
                    l.Active
                )
            )
        );
    }

    /// <summary>When something ends, becomes due, opens or shuts.</summary>
    private Instant? NextMoment()
    {
        Instant? next = null;
        void Consider(Instant? at) => next = at is { } moment && !(next <= moment) ? moment : next;
        if (_ends.TryPeek(out _, out var ends))
            Consider(ends);
        if (_due.TryPeek(out _, out var due))
            Consider(due);
        foreach (var line in _lines)
            if (line.Waiting.Count > 0)
                Consider(line.ChangesAt);
        return next;
    }

    private static void LineUp(Runner runner) =>
        runner.Line.Waiting.Enqueue(runner, (Schedule.TurnOf(runner.Since, runner.Move.Handicap), runner.Move.Id));

    private void Begin()
    {
        foreach (var line in _lines)
        {
            line.Obstacle = null;
            line.Look(_now);
        }
        while (_busy < _scene.Workers && Next() is { } line)
            Begin(line.Waiting.Dequeue());
        NoteObstacles();
    }

    /// <summary>The batch whose first in line has the earliest turn of all that may begin.</summary>
    private Line? Next()
    {
        (Line Line, (Instant, long) Turn)? next = null;
        foreach (var line in _lines)
            if (line.IsOpen && line.Waiting.TryPeek(out _, out var turn) && line.Full is null && !(next?.Turn.CompareTo(turn) <= 0))
                next = (line, turn);
        return next?.Line;
    }

    private void Begin(Runner runner)
    {
        var line = runner.Line;
        var chunk = runner.IsCopying ? Duration.Min(runner.Left, _slice) : runner.Move.CatchUp * _catchUpsTogether;
        if (line.ChangesAt is { } closes && closes < Instant.MaxValue)
            chunk = Duration.Min(chunk, closes - _now);
        if (runner.IsCopying && runner.Move.WorkPerDay is { } perDay)
        {
            var today = _now.InUtc().Date;
            if (runner.Day != today)
                (runner.Day, runner.DoneThatDay) = (today, Duration.Zero);
            if (perDay <= runner.DoneThatDay)
            {
                line.RestsFor = runner.Move.LimitedBy ?? "";
                _due.Enqueue(runner, today.PlusDays(1).AtStartOfDayInZone(DateTimeZone.Utc).ToInstant());
                return;
            }
            chunk = Duration.Min(chunk, perDay - runner.DoneThatDay);
        }
        runner.Chunk = chunk;
        runner.Began ??= runner.IsCopying ? _now : null;
        line.Begins ??= runner.IsCopying ? _now : null;
        _busy++;
        line.Running++;
        foreach (var place in line.Places)
            place.Running++;
        if (runner.IsCopying && ++line.RunningFirst == 1 && !(line.Active.Count > 0 && line.Active[^1].End == _now))
            line.Active.Add(new Interval(_now, _now));
        _ends.Enqueue(runner, _now + chunk);
    }

    private void End(Runner runner)
    {
        var line = runner.Line;
        _busy--;
        foreach (var place in line.Places)
            place.Running--;
        line.Running--;
        if (runner.IsCopying && --line.RunningFirst == 0)
            line.Active[^1] = new Interval(line.Active[^1].Start, _now);
        if (runner.IsCopying)
        {
            (runner.Left, runner.DoneThatDay) = (runner.Left - runner.Chunk, runner.DoneThatDay + runner.Chunk);
            if (runner.Left > Duration.Zero)
            {
                // Whoever was stopped lets the others go first.
                runner.Since = _now;
                LineUp(runner);
                return;
            }
            (runner.InStep, line.InStep) = (_now, _now);
            (_unfinished, line.Copying) = (_unfinished - 1, line.Copying - 1);
        }
        if (line.Timetable is { CatchUpEvery: { } every } timetable && timetable.NextCatchUp(_now, runner.InStep!.Value) is not null)
        {
            runner.Since = _now + (every * _catchUpsTogether);
            _due.Enqueue(runner, runner.Since);
        }
    }

    /// <summary>For each batch that is not in step: why no more of it runs now.</summary>
    private void NoteObstacles()
    {
        foreach (var line in _lines)
        {
            var isRunning = line.Running > 0;
            if (line.Copying > 0)
                line.Obstacle =
                    line.Waiting.Count > 0
                        ? !line.IsOpen
                            ? (Obstacle.Shut, null)
                            : line.Full is { } full
                                ? (Obstacle.Service, full.Service)
                                : (Obstacle.Workers, null)
                        : isRunning
                            ? (Obstacle.Work, null)
                            : line.RestsFor is { } limits
                                ? (Obstacle.DayLimit, limits)
                                : (Obstacle.Shut, null);
            if (isRunning || line.Waiting.Count > 0)
                line.RestsFor = null;
        }
    }

    private void Account(Instant until)
    {
        foreach (var line in _lines)
            if (line.Obstacle is { } obstacle && line.Copying > 0)
                line.Spent[obstacle] = line.Spent.GetValueOrDefault(obstacle) + (until - _now);
    }
}
