namespace EasyCaravan.Parcels.Tests;

public sealed class ResumingTests
{
    [Fact]
    public void What_was_saved_is_there_when_the_run_goes_on()
    {
        using var account = new PackedAccount();
        for (var run = 0; run < 3; run++)
        {
            using var packer = account.Open();
            packer.LoadItems();
            var folder = packer.State.Folders.Values.FirstOrDefault() ?? packer.AddFolder(["INBOX"], null, true);
            Assert.Equal((uint)run, folder.Count);
            PackedAccount.Add(packer, folder, PackedAccount.Text(run), run);
            packer.Save();
        }
    }
}
