using Lodrik.Http;
using Lodrik.Inspection;
using Lodrik.Protection;
using Lodrik.Server;
using Lodrik.Storage;

namespace Lodrik.Far.Tests.Server;

/// <summary>A server signs what it has seen, for the player whose it is; a game that has the public key loads nothing else.</summary>
public sealed class ServerSigningTests : ServerTest
{
    private const string Save = "slots/evening/00000001.json";

    private static readonly string PrivatePem;
    private static readonly string PublicPem;

    static ServerSigningTests()
    {
        using var pair = System.Security.Cryptography.ECDsa.Create(System.Security.Cryptography.ECCurve.NamedCurves.nistP256);
        (PrivatePem, PublicPem) = (pair.ExportPkcs8PrivateKeyPem(), pair.ExportSubjectPublicKeyInfoPem());
    }

    private static SaveServerOptions Signing => TestServer.Usual with
    {
        SealOf = _ => SaveProtection.With(Saves.GameKey),
        SignatureOf = player => SaveProtection.With(SaveKey.Signing("server", PrivatePem)) with { Context = player },
    };

    [Theory]
    [InlineData(SaveForm.Json), InlineData(SaveForm.Xml), InlineData(SaveForm.Binary)]
    public async Task What_the_server_has_signed_loads_and_nothing_else_does(SaveForm form)
    {
        await using var server = await TestServer.Start(Storages, Signing);
        using var storage = server.StorageOf("keeper");
        // The game seals with a key that its player can dig out of it, and takes what has the server's signature.
        using var playing = SaveStore<ContractSave>.Open(new SaveStoreOptions { Storage = storage, Form = form, Protection = SaveProtection.With(Saves.GameKey), OtherProtections = [Checking("keeper")] });
        var saved = playing.Save("evening", new ContractSave { Day = 5 }, new SaveLabel { Title = "the fifth" });
        using var strict = SaveStore<ContractSave>.Open(new SaveStoreOptions { Storage = storage, Form = form, Protection = Checking("keeper") });
        Assert.Equal(5, (await strict.LoadAsync("evening", cancellationToken: Cancellation)).State.Day);
        Assert.Equal(saved.SaveId, strict.History("evening")[0].Header!.SaveId);
        Assert.Equal("the fifth", Assert.Single(strict.List()).Title);
        Assert.Equal(5, playing.Load("evening").State.Day);
        // What was sealed with the game's key and put there some other way, as by whoever runs the disk, does not load.
        await Storages.Use("keeper", isReading: false, files =>
        {
            files.Write("slots/forged/00000001.json", Saves.Of(9, SaveProtection.With(Saves.GameKey)), replace: true);
            return new ValueTask<bool>(true);
        });
        await Assert.ThrowsAsync<TamperedSaveException>(() => strict.LoadAsync("forged", cancellationToken: Cancellation));
    }

    [Fact]
    public async Task A_signed_save_is_taken_back_as_it_is_and_another_players_is_not()
    {
        await using var server = await TestServer.Start(Storages, Signing);
        using var storage = server.StorageOf("keeper");
        await storage.WriteAsync(Save, new(Saves.Of(1, SaveProtection.With(Saves.GameKey))), replace: false, Cancellation);
        var signed = (await storage.ReadAsync(Save, Cancellation))!;
        Assert.Equal("server", Checked(signed, "keeper").SealKey);
        Assert.Throws<TamperedSaveException>(() => Checked(signed, "other"));
        await storage.DeleteAsync(Save, Cancellation);
        await storage.WriteAsync(Save, new(signed), replace: false, Cancellation);
        Assert.Equal(signed, await storage.ReadAsync(Save, Cancellation));
        using var other = server.StorageOf("other");
        var problem = await Assert.ThrowsAsync<StorageException>(async () => await other.WriteAsync(Save, new(signed), replace: false, Cancellation));
        Assert.DoesNotContain("already", problem.Message, StringComparison.Ordinal);
        Assert.Empty(await other.ListAsync("", Cancellation));
        // Nor is one whose bytes were changed after it was signed.
        signed[signed.AsSpan().IndexOf("\"day\": 1"u8) + 7] = (byte)'8';
        await Assert.ThrowsAsync<StorageException>(async () => await storage.WriteAsync("slots/evening/00000002.json", new(signed), replace: false, Cancellation));
        Assert.Single(await storage.ListAsync("", Cancellation));
    }

    [Fact]
    public async Task What_the_server_cannot_check_it_does_not_sign()
    {
        var strange = SaveProtection.With(Saves.KeyOf("strange", 7));
        await using var server = await TestServer.Start(Storages, Signing with { SealOf = null });
        using var storage = server.StorageOf("keeper");
        Assert.Contains("does not have", (await Refused(storage, Saves.Of(1, strange))).Message, StringComparison.Ordinal);
        Assert.Contains("Encrypted saves cannot be signed", (await Refused(storage, Saves.Of(1, SaveProtection.Encrypted(Saves.GameKey)))).Message, StringComparison.Ordinal);
        await storage.WriteAsync(Save, new(Saves.Of(1)), replace: false, Cancellation);
        Assert.Equal("server", Checked((await storage.ReadAsync(Save, Cancellation))!, "keeper").SealKey);
        // Without a signature of its own, a server keeps what it cannot look into as it is.
        await using var plain = await TestServer.Start(Storages);
        using var other = plain.StorageOf("other");
        var hidden = Saves.Of(1, SaveProtection.Encrypted(Saves.GameKey));
        await other.WriteAsync(Save, new(hidden), replace: false, Cancellation);
        Assert.Equal(hidden, await other.ReadAsync(Save, Cancellation));
    }

    [Fact]
    public async Task A_lost_answer_makes_no_second_save_although_the_server_has_other_bytes()
    {
        await using var server = await TestServer.Start(Storages, Signing);
        await using var proxy = await BadProxy.Start(server.Address);
        using var storage = new HttpStorage(new Uri(proxy.Address, "players/keeper/"), new HttpStorageOptions { RetryDelay = TimeSpan.FromMilliseconds(1), Token = _ => new("of-keeper") });
        using var store = SaveStore<ContractSave>.Open(new SaveStoreOptions { Storage = storage, Protection = SaveProtection.With(Saves.GameKey), OtherProtections = [Checking("keeper")], KeepGenerations = 100 });
        var lost = 0;
        proxy.Choose = request => request.Method == "PUT" && lost++ % 2 == 0 ? Trouble.DropAnswer : Trouble.None;
        var saved = new List<Guid>();
        for (var day = 1; day <= 4; day++)
            saved.Add((await store.SaveAsync("evening", new ContractSave { Day = day }, cancellationToken: Cancellation)).SaveId);
        Assert.True(lost >= 8);
        Assert.Equal(saved, store.History("evening").Select(one => one.Header!.SaveId).Reverse());
        // The same when a slot is sent.
        using var folder = SaveStore<ContractSave>.Open(new SaveStoreOptions { Storage = new MemoryStorage(), Protection = SaveProtection.With(Saves.GameKey) });
        folder.Save("morning", new ContractSave { Day = 1 });
        folder.Save("morning", new ContractSave { Day = 2 });
        using var slots = SaveSlots.Open(storage);
        await folder.SendAsync("morning", slots, Cancellation);
        Assert.Equal(folder.History("morning").Select(one => one.Header!.SaveId), slots.History("morning").Select(one => one.Header!.SaveId));
    }

    [Fact]
    public async Task A_save_that_the_server_refuses_is_named_and_keeps_no_other_back()
    {
        await using var server = await TestServer.Start(Storages, Signing);
        using var storage = server.StorageOf("keeper");
        var memory = new MemoryStorage();
        using var folder = SaveStore<ContractSave>.Open(new SaveStoreOptions { Storage = memory, Protection = SaveProtection.With(Saves.GameKey) });
        for (var day = 1; day <= 3; day++)
            folder.Save("evening", new ContractSave { Day = day });
        var edited = memory.Read("slots/evening/00000002.json")!;
        edited[edited.AsSpan().IndexOf("\"day\": 2"u8) + 7] = (byte)'9';
        memory.Write("slots/evening/00000002.json", edited, replace: true);
        using var slots = SaveSlots.Open(storage);
        var sent = await folder.SendAsync("evening", slots, Cancellation);
        Assert.Equal((2, false), (sent.CopiedCount, sent.BothWentOn));
        Assert.Contains("edited", Assert.Single(sent.PassedOver).Message, StringComparison.Ordinal);
        Assert.Equal(folder.History("evening").Where(one => one.Number != 2).Select(one => one.Header!.SaveId), slots.History("evening").Select(one => one.Header!.SaveId));
        // It is named again next time, and nothing is sent twice.
        sent = await folder.SendAsync("evening", slots, Cancellation);
        Assert.Equal(0, sent.CopiedCount);
    }

    private static SaveProtection Checking(string player) => SaveProtection.With(SaveKey.Verifying("server", PublicPem)) with { Context = player };

    private static SavedFile Checked(byte[] bytes, string player)
    {
        var file = SavedFile.FromBytes(bytes);
        file.CheckSeal(Checking(player));
        return file;
    }

    private static async Task<StorageException> Refused(HttpStorage storage, byte[] bytes)
    {
        var problem = await Assert.ThrowsAsync<StorageException>(async () => await storage.WriteAsync(Save, new(bytes), replace: false, Cancellation));
        Assert.Empty(await storage.ListAsync("", Cancellation));
        return problem;
    }
}
