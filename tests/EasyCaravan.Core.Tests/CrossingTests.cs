using System.Text;
using EasyCaravan.Core.Crossing;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Core.Tests.Memory;
using NodaTime;

namespace EasyCaravan.Core.Tests;

/// <summary>The steps of a crossing, by themselves.</summary>
public sealed class CrossingTests
{
    private static readonly byte[] s_own = Encoding.UTF8.GetBytes("require [\"fileinto\"];\r\nfileinto \"Tide\";\r\n# é");

    private readonly MemoryCrossing _crossing = MakeNew();

    private static MemoryCrossing MakeNew()
    {
        var crossing = new MemoryCrossing();
        crossing.Rules.Scripts["mine"] = s_own;
        crossing.Rules.Active = "mine";
        return crossing;
    }

    private static bool HasProbe(MemoryMail mail) =>
        mail.Folders.Values.Any(f =>
            f.Messages.Exists(m => Encoding.ASCII.GetString(m.Octets).Contains("Message-ID: <probe.", StringComparison.Ordinal))
        );

    [Fact]
    public void Forwarding_is_on_before_the_probe_and_the_comparison_comes_last()
    {
        _crossing.Run();
        Assert.Equal(CrossingStep.Settle, _crossing.State.Step);
        Assert.Equal(
            [CrossingAct.SwitchOn, CrossingAct.SendProbe, CrossingAct.RemoveProbe, CrossingAct.Compare],
            _crossing.Acts.Select(a => a.Act)
        );
        Assert.All(_crossing.Acts, a => Assert.NotNull(a.Outcome));
        Assert.Equal(ProbeState.Arrived, Assert.Single(_crossing.Probes).State);
        Assert.False(HasProbe(_crossing.Old) || HasProbe(_crossing.New));
        Assert.Equal(s_own, _crossing.Rules.Scripts["mine"]);
    }

    [Fact]
    public void Killed_at_any_call_it_goes_on_and_comes_to_the_same_end()
    {
        var calls = MakeNew().Run();
        Assert.True(calls > 30, $"Only {calls} calls were made.");
        for (var kill = 0; kill < calls; kill++)
        {
            var crossing = MakeNew();
            crossing.KillAfter = kill;
            crossing.Run();
            Assert.True(crossing.State.Step is CrossingStep.Settle, $"Killed at call {kill} it ended at {crossing.State.Step}.");
            Assert.Equal("easy-caravan-forwarding", crossing.Rules.Active);
            Assert.Equal(s_own, crossing.Rules.Scripts["mine"]);
            Assert.False(HasProbe(crossing.Old) || HasProbe(crossing.New), $"Killed at call {kill} it left a probe.");
            // What was there before is still known, so that it can be put back.
            Assert.Equal("mine", crossing.Note!.Rules!.ActiveBefore);
            crossing.State = new CrossingState(CrossingGoal.Undo, CrossingStep.Undo, Instant.MinValue);
            crossing.Run();
            Assert.Equal(("mine", CrossingStep.Gates), (crossing.Rules.Active, crossing.State.Step));
            Assert.Equal(s_own, Assert.Single(crossing.Rules.Scripts).Value);
        }
    }

    [Fact]
    public void Killed_at_any_call_of_its_undoing_everything_is_as_before_all_the_same()
    {
        for (var kill = 0; kill < 40; kill++)
        {
            var crossing = MakeNew();
            crossing.Run();
            crossing.State = new CrossingState(CrossingGoal.Undo, CrossingStep.Undo, Instant.MinValue);
            crossing.KillAfter = kill;
            crossing.Run();
            Assert.True(crossing.Rules.Active == "mine", $"Killed at call {kill}, {crossing.State}: {crossing.Rules.Active}");
            Assert.Equal(s_own, Assert.Single(crossing.Rules.Scripts).Value);
            Assert.Null(crossing.Note);
        }
    }

    private FaultException Stops() => Assert.Throws<FaultException>(() => _crossing.Run());

    [Fact]
    public void Mail_is_never_forwarded_to_the_address_it_comes_from()
    {
        var crossing = new MemoryCrossing(sameAddress: true);
        var fault = Assert.Throws<FaultException>(() => crossing.Run()).Fault;
        Assert.Equal(Cause.GateShut, fault.Cause);
        Assert.Contains(crossing.Gates, g => g is { Kind: GateKind.Forwarding, Colour: GateColour.Red });
        Assert.Empty(crossing.Acts);

        // Whoever keeps their address is forwarded to one for which the new service alone takes mail.
        crossing.ForwardTo = "aoife@in.northquay.example";
        crossing.Run();
        Assert.Equal(CrossingStep.Settle, crossing.State.Step);
        Assert.Equal(crossing.ForwardTo, crossing.Note!.Rules!.To);
    }

    [Theory]
    [InlineData(null, null, "aoife@northquay.example")]
    [InlineData(null, "{user}@in.{domain}", "aoife@in.northquay.example")]
    [InlineData(null, "{account}", "aoife@northquay.example")]
    [InlineData("own@in.northquay.example", "{user}@in.{domain}", "own@in.northquay.example")]
    public void The_roster_says_where_to_forward_before_the_batch_does(string? own, string? pattern, string expected) =>
        Assert.Equal(expected, (CrossingPlan.Usual with { ForwardTo = pattern }).AddressOf(own, "aoife@northquay.example"));

    [Fact]
    public void An_automatic_answer_is_set_unless_rules_of_the_owner_answer_or_the_service_cannot()
    {
        var (answering, silent) = (new MemoryCrossing(), new MemoryCrossing());
        answering.Rules.Extensions = silent.Rules.Extensions = new HashSet<string> { "copy", "include", "vacation" };
        answering.Rules.Scripts["mine"] = "require \"vacation\"; vacation \"I am away\";"u8.ToArray();
        answering.Rules.Active = "mine";
        foreach (var crossing in new[] { answering, silent, _crossing })
        {
            crossing.Answer = new AddressMessage("New: {new_address}", "{name} \"moved\"\nto {new_address}").For(
                "Aoife",
                MemoryCrossing.From,
                MemoryCrossing.To
            );
            crossing.Run();
            Assert.Equal(CrossingStep.Settle, crossing.State.Step);
        }
        var ours = Encoding.UTF8.GetString(silent.Note!.Rules!.Ours.Span);
        Assert.Contains(
            "vacation :days 7 :addresses [\"aoife@saltmarsh.example\"] :subject \"New: aoife@northquay.example\" "
                + "\"Aoife \\\"moved\\\"\r\nto aoife@northquay.example\";",
            ours,
            StringComparison.Ordinal
        );
        Assert.Contains("an automatic answer tells", FactsOf(silent), StringComparison.Ordinal);
        Assert.DoesNotContain("vacation", Encoding.UTF8.GetString(answering.Note!.Rules!.Ours.Span), StringComparison.Ordinal);
        Assert.Contains("because rules of its owner answer", FactsOf(answering), StringComparison.Ordinal);
        Assert.Contains("does not offer the extension vacation", FactsOf(_crossing), StringComparison.Ordinal);

        static string FactsOf(MemoryCrossing crossing) => crossing.Gates.Find(g => g.Kind is GateKind.Forwarding)!.Facts;
    }

    [Fact]
    public void A_server_that_finds_every_message_loses_none_when_probes_are_removed()
    {
        (_crossing.Old.SearchesLoosely, _crossing.New.SearchesLoosely) = (true, true);
        for (var i = 0; i < 5; i++)
        {
            _crossing.Old.Folder("INBOX").Add(MemoryRoad.Message(i), FlagSet.Empty, DateTimeOffset.UnixEpoch);
            _crossing.New.Folder("INBOX").Add(MemoryRoad.Message(i), FlagSet.Empty, DateTimeOffset.UnixEpoch);
        }
        _crossing.Run();
        Assert.Equal(CrossingStep.Settle, _crossing.State.Step);
        Assert.Equal(5, _crossing.Old.Folder("INBOX").Messages.Count);
        Assert.Equal(5, _crossing.New.Folder("INBOX").Messages.Count);
    }

    [Fact]
    public void A_shut_gate_stops_it_before_anything_is_changed()
    {
        _crossing.Accepted.Clear();
        var fault = Stops().Fault;
        Assert.Equal(Cause.GateShut, fault.Cause);
        Assert.Contains("2 gates are shut (own-rules, informed)", fault.What, StringComparison.Ordinal);
        Assert.Empty(_crossing.Acts);
        Assert.Equal("mine", _crossing.Rules.Active);
    }

    [Fact]
    public void Rules_that_their_owner_changed_in_between_are_not_overwritten_and_are_looked_at_anew()
    {
        var changed = "keep;"u8.ToArray();
        _crossing.Rules.BeforeWriting = () => { };
        _crossing.Rules.Called = () =>
        {
            _crossing.Call();
            if (_crossing is { State.Step: CrossingStep.Forward, Acts: [{ Act: CrossingAct.SwitchOn }] })
                _crossing.Rules.Scripts["mine"] = changed;
        };
        Assert.Equal(Cause.RulesChanged, Stops().Fault.Cause);
        Assert.Equal(("mine", CrossingStep.Gates), (_crossing.Rules.Active, _crossing.State.Step));
        _crossing.Rules.Called = _crossing.Call;
        _crossing.Run();
        Assert.Equal(CrossingStep.Settle, _crossing.State.Step);
        Assert.Equal(changed, _crossing.Note!.Rules!.Before.ToArray());
    }

    [Theory]
    [InlineData("lost", Cause.ProbeMissing)]
    [InlineData("junk", Cause.ProbeInJunk)]
    [InlineData("altered", Cause.ProbeAltered)]
    [InlineData("twice", Cause.ProbeDoubled)]
    public void Each_trouble_of_a_probe_is_told_apart_and_mended_it_goes_on(string trouble, Cause cause)
    {
        var deliver = _crossing.Deliver;
        var junk = _crossing.New.Folder("Junk");
        _crossing.Deliver = message =>
        {
            if (trouble == "junk")
                junk.Add(message, FlagSet.Empty, _crossing.Clock.GetUtcNow());
            else if (trouble == "altered")
                deliver([.. message, .. "This mail was scanned.\r\n"u8]);
            for (var i = 0; trouble == "twice" && i < 2; i++)
                deliver(message);
        };
        Assert.Equal(cause, Stops().Fault.Cause);
        Assert.Equal(CrossingStep.Probe, _crossing.State.Step);
        _crossing.Deliver = deliver;
        _crossing.Run();
        Assert.Equal((CrossingStep.Settle, 2), (_crossing.State.Step, _crossing.Sent));
        Assert.False(HasProbe(_crossing.Old) || HasProbe(_crossing.New));
    }

    [Fact]
    public void A_person_may_accept_what_became_of_a_probe()
    {
        _crossing.Deliver = message => _crossing.New.Folder("Junk").Add(message, FlagSet.Empty, _crossing.Clock.GetUtcNow());
        Stops();
        Assert.Contains(_crossing.Gates, g => g is { Kind: GateKind.Probe, Colour: GateColour.Amber });
        _crossing.Accepted.Add(GateKind.Probe);
        _crossing.Run();
        Assert.Equal((CrossingStep.Settle, 1), (_crossing.State.Step, _crossing.Sent));
    }

    [Fact]
    public void A_probe_that_comes_after_it_was_given_up_is_taken_and_no_other_is_sent()
    {
        var held = new List<byte[]>();
        var deliver = _crossing.Deliver;
        _crossing.Deliver = held.Add;
        Stops();
        held.ForEach(deliver);
        _crossing.Run();
        Assert.Equal((CrossingStep.Settle, 1), (_crossing.State.Step, _crossing.Sent));
    }

    [Fact]
    public void Forwarding_by_hand_waits_for_a_person_and_is_tried_all_the_same()
    {
        _crossing.HasRules = false;
        _crossing.Accepted.Add(GateKind.Forwarding);
        Assert.Equal(Cause.ForwardingByHand, Stops().Fault.Cause);
        // They say so, and it is not true.
        _crossing.Note = _crossing.Note! with { SaidOn = true };
        Assert.Equal(Cause.ProbeMissing, Stops().Fault.Cause);
        _crossing.Rules.Active = "easy-caravan-forwarding";
        _crossing.Run();
        Assert.Equal(CrossingStep.Settle, _crossing.State.Step);
        _crossing.State = new CrossingState(CrossingGoal.Undo, CrossingStep.Undo, Instant.MinValue);
        Assert.Equal(Cause.ForwardingByHand, Stops().Fault.Cause);
    }

    [Fact]
    public void The_code_that_the_old_side_sends_is_found_shown_and_given_back()
    {
        _crossing.Confirmation = new ForwardingConfirmation("no-reply@", "Confirm", "Your code: {code}", Duration.FromMinutes(5));
        Assert.Equal(Cause.ForwardingUnconfirmed, Stops().Fault.Cause);
        Assert.Equal(ConfirmationState.Expired, _crossing.Note!.Confirmation!.State);
        _crossing
            .New.Folder("INBOX")
            .Add(
                "From: no-reply@lanternpost.example\r\nSubject: Confirm forwarding\r\n\r\nYour code: 48-213\r\n"u8.ToArray(),
                FlagSet.Empty,
                _crossing.Clock.GetUtcNow()
            );
        Assert.Equal(Cause.ForwardingUnconfirmed, Stops().Fault.Cause);
        Assert.Equal((ConfirmationState.CodeSeen, "48-213"), (_crossing.Note.Confirmation!.State, _crossing.Note.Confirmation.Code));
        _crossing.Note = _crossing.Note with { Confirmation = _crossing.Note.Confirmation with { State = ConfirmationState.Confirmed } };
        _crossing.Run();
        Assert.Equal(CrossingStep.Settle, _crossing.State.Step);
    }

    [Theory]
    [InlineData("48-213", true)]
    [InlineData("https://lanternpost.example/confirm/48-213", false)]
    public void A_code_is_given_back_by_itself_where_the_service_takes_it_and_a_link_is_left_to_people(string code, bool given)
    {
        var taken = new List<string>();
        _crossing.Confirmation = new ForwardingConfirmation(null, "Confirm", "Your code: {code}", Duration.FromMinutes(5));
        _crossing.HandBack = (seen, _) =>
        {
            taken.Add(seen);
            return taken.Count > 1
                ? Task.CompletedTask
                : throw new FaultException(new Fault(Cause.ForwardingUnconfirmed, MemoryCrossing.From, "not now"), Verdict.Keep);
        };
        _crossing
            .New.Folder("INBOX")
            .Add(
                Encoding.ASCII.GetBytes($"From: x\r\nSubject: Confirm\r\n\r\nYour code: {code}\r\n"),
                FlagSet.Empty,
                _crossing.Clock.GetUtcNow()
            );
        Assert.Equal(Cause.ForwardingUnconfirmed, Stops().Fault.Cause);
        Assert.Equal(ConfirmationState.CodeSeen, _crossing.Note!.Confirmation!.State);
        if (!given)
        {
            Assert.Empty(taken);
            return;
        }
        _crossing.Run();
        Assert.Equal((CrossingStep.Settle, 2), (_crossing.State.Step, taken.Count(c => c == code)));
    }

    [Fact]
    public void Forwarding_that_somebody_switched_off_afterwards_is_told_and_put_back_only_when_a_person_asks()
    {
        _crossing.Run();
        _crossing.Rules.Active = "mine";
        Assert.Equal(Cause.RulesChanged, Stops().Fault.Cause);
        Assert.Equal(Cause.RulesChanged, Stops().Fault.Cause);
        Assert.Equal("mine", _crossing.Rules.Active);
        _crossing.Note = _crossing.Note! with { PutBack = true };
        _crossing.Run();
        Assert.Equal("easy-caravan-forwarding", _crossing.Rules.Active);
        Assert.Equal(s_own, _crossing.Rules.Scripts["mine"]);
    }

    [Fact]
    public void On_its_day_forwarding_ends_what_was_there_is_put_back_and_the_ways_in_are_forgotten()
    {
        _crossing.Run();
        _crossing.ForwardingUntil = Instant.FromDateTimeOffset(_crossing.Clock.GetUtcNow());
        _crossing.Run();
        Assert.Equal((CrossingStep.End, (Instant?)null, true), (_crossing.State.Step, _crossing.State.Due, _crossing.IsForgotten));
        Assert.Equal(("mine", s_own), (_crossing.Rules.Active, Assert.Single(_crossing.Rules.Scripts).Value));
    }
}
