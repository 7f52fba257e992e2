using System.IO.Hashing;
using System.Security.Cryptography;
using Lodrik.Formats;
using Lodrik.Protection;
using Lodrik.Saves.Forms;
using Lodrik.Saves.Writing;

namespace Lodrik.Bench;

/// <summary>What seals and encryption add to a save, against the platform's cryptography over the same bytes.</summary>
internal static class ProtectionBudgets
{
    private const int Count = 64 << 20;

    public static IEnumerable<BudgetLine> Lines()
    {
        var key = SaveKey.FromBytes("bench", RandomNumberGenerator.GetBytes(SaveKey.SecretBytes));
        var section = RandomNumberGenerator.GetBytes(Count);
        var file = new byte[Count + 1000];
        section.CopyTo(file, 500);
        (string, int, int)[] places = [("sea", 500, Count)];

        var (ours, theirs) = Measuring.Race(
            () => SealEnvelope.WriteCose(key, SealContent.Of(file, places, file.Length, 0, "")),
            () => SHA256.HashData(section));
        yield return BudgetLine.Of("sealing 64 MB / SHA-256 (ms)", ours, theirs, 1.25);

        var sealing = SealEnvelope.WriteCose(key, SealContent.Of(file, places, file.Length, 0, ""));
        (ours, theirs) = Measuring.Race(
            () =>
            {
                var opened = SealEnvelope.OpenCose(sealing, new KeyRing(key), default).Content;
                if (!SealContent.DigestOf(file.AsSpan(500, Count), isEncrypted: false).AsSpan().SequenceEqual(opened.Sections[0].Digest))
                    throw new InvalidOperationException("The seal does not fit.");
            },
            () => SHA256.HashData(section));
        yield return BudgetLine.Of("checking a seal over 64 MB / SHA-256 (ms)", ours, theirs, 1.25);

        using var cipher = SectionCipher.New(key, KeyMaking.None);
        using var aes = new AesGcm(RandomNumberGenerator.GetBytes(32), 16);
        var (nonce, tag, target) = (new byte[12], new byte[16], new byte[Count]);
        using var reused = new PooledBuffer(Count + SectionCipher.MostAround);
        (ours, theirs) = Measuring.Race(
            () =>
            {
                // What a save's encoder does with a section: encrypted, then its checksum, then what stands for it under the seal.
                reused.Truncate(0);
                cipher.Encrypt(0, "sea", section, reused);
                SectionDigest.Of(reused.Written);
                SectionCipher.DigestOf(reused.Written);
            },
            () =>
            {
                aes.Encrypt(nonce, section, target, tag);
                XxHash128.HashToUInt128(target);
            });
        yield return BudgetLine.Of("encrypting 64 MB / AES-GCM and XxHash128 (ms)", ours, theirs, 1.0);

        var stored = cipher.Encrypt(0, "sea", section);
        var ciphertext = stored[^(Count + 16)..^16];
        (ours, theirs) = Measuring.Race(
            () =>
            {
                SectionDigest.Of(stored);
                SectionCipher.DigestOf(stored);
                if (cipher.Decrypt("sea", stored) is null)
                    throw new InvalidOperationException("The section does not decrypt.");
            },
            () =>
            {
                XxHash128.HashToUInt128(ciphertext);
                // The same work; whether the tag fits is not asked.
                aes.Encrypt(nonce, ciphertext, new byte[Count], tag);
            });
        yield return BudgetLine.Of("decrypting 64 MB / AES-GCM and XxHash128 (ms)", ours, theirs, 1.25);

        // The whole way of a save, from sections in memory to the bytes of a file, with and without.
        using var writer = new SaveWriter();
        (ours, theirs) = Measuring.Race(() => Whole(writer, section, SaveProtection.With(key)), () =>
        {
            Whole(writer, section, null);
            SHA256.HashData(section);
        });
        yield return BudgetLine.Of("whole save, sealed / unprotected, then SHA-256 (ms)", ours, theirs, 1.25);
        (ours, theirs) = Measuring.Race(() => Whole(writer, section, SaveProtection.Encrypted(key)), () =>
        {
            Whole(writer, section, null);
            var copy = new byte[Count];
            aes.Encrypt(nonce, section, copy, tag);
            XxHash128.HashToUInt128(copy);
        });
        // The design sets no budget for the whole: here the ciphertext is written into the file as well.
        yield return BudgetLine.Of("whole save, encrypted / unprotected, then AES-GCM (ms)", ours, theirs, 1.5);
    }

    private static void Whole(SaveWriter writer, byte[] section, SaveProtection? protection) =>
        writer.Write([EncodedSection.Of("sea", section)], new SaveHeader { Game = "bench" }, SaveForm.Binary, protection);
}
